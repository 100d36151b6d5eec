import { answer } from '../../../server/answer.ts'
import { listWorkers } from '../../../server/db/farm.ts'
import { withDb } from '../../../server/db/pool.ts'
import { queueProblem } from '../../../server/farm/queue-state.ts'

/** Who renders, here and on other machines, and what keeps frames from being handed out. */
export function GET(): Promise<Response> {
  return answer(async () => Response.json({ workers: await withDb(listWorkers), problem: queueProblem() }))
}

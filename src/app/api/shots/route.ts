import { listShots } from '../../../server/db/shots.ts'
import { withDb } from '../../../server/db/pool.ts'
import { answer } from '../../../server/answer.ts'
import { withIncoming } from '../../../server/incoming.ts'
import { createShotFrom } from '../../../server/shot-service.ts'

/** A new shot from one file, see withIncoming; x-file-name is its name. */
export function POST(request: Request): Promise<Response> {
  return answer(async () => Response.json({ id: await withIncoming(request, createShotFrom) }))
}

/** All shots by id and name. */
export function GET(): Promise<Response> {
  return answer(async () => {
    const shots = await withDb(listShots)
    return Response.json({ shots: shots.map(({ id, name }) => ({ id, name })) })
  })
}

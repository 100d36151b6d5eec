import { answer, RequestError } from '../../../../server/answer.ts'
import { workerChange } from '../../../../server/contracts.ts'
import { changeWorker } from '../../../../server/db/farm.ts'
import { withDb } from '../../../../server/db/pool.ts'
import { readBody } from '../../../../server/request-body.ts'

/** { paused?, most? }: lets a worker rest or go on, or limits how many frames it is given at once. */
export function PATCH(
  request: Request,
  { params }: { params: Promise<{ seat: string }> },
): Promise<Response> {
  return answer(async () => {
    const change = await readBody(request, workerChange)
    const { seat } = await params
    if (!(await withDb((db) => changeWorker(db, seat, change))))
      throw new RequestError(404, 'There is no such worker.')
    return Response.json({ ok: true })
  })
}

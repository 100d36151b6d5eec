import { answer, RequestError } from '../../../../server/answer.ts'
import { renderChange } from '../../../../server/contracts.ts'
import { withDb } from '../../../../server/db/pool.ts'
import { cancelRender, findRender, retryRender } from '../../../../server/db/renders.ts'
import { readBody } from '../../../../server/request-body.ts'

type Context = { params: Promise<{ id: string }> }

export function GET(_: Request, { params }: Context): Promise<Response> {
  return answer(async () => {
    const render = await withDb(async (pool) => findRender(pool, (await params).id))
    if (!render) throw new RequestError(404, 'There is no such render.')
    return Response.json(render)
  })
}

/** { action: 'cancel' | 'retry' }. */
export function POST(request: Request, { params }: Context): Promise<Response> {
  return answer(async () => {
    const { action } = await readBody(request, renderChange)
    const change = action === 'cancel' ? cancelRender : retryRender
    if (!(await withDb(async (pool) => change(pool, (await params).id))))
      throw new RequestError(404, 'There is no such render.')
    return Response.json({ ok: true })
  })
}

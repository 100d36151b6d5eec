import * as v from 'valibot'
import { answer, readJson, RequestError } from '../../../../server/answer.ts'
import { withDb } from '../../../../server/db/pool.ts'
import { cancelRender, findRender, retryRender } from '../../../../server/db/renders.ts'

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
    const body = v.safeParse(v.object({ action: v.picklist(['cancel', 'retry']) }), await readJson(request))
    if (!body.success) throw new RequestError(400, 'A render can be cancelled or tried again.')
    const change = body.output.action === 'cancel' ? cancelRender : retryRender
    await withDb(async (pool) => change(pool, (await params).id))
    return Response.json({ ok: true })
  })
}

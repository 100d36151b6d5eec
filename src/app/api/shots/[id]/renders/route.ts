import { answer } from '../../../../../server/answer.ts'
import { renderBody } from '../../../../../server/contracts.ts'
import { withDb } from '../../../../../server/db/pool.ts'
import { findRender, rendersOfShot } from '../../../../../server/db/renders.ts'
import { askRender } from '../../../../../server/render/ask-render.ts'
import { readBody } from '../../../../../server/request-body.ts'

type Context = { params: Promise<{ id: string }> }

export function GET(_: Request, { params }: Context): Promise<Response> {
  return answer(async () =>
    withDb(async (pool) => {
      const ids = await rendersOfShot(pool, (await params).id)
      return Response.json({ renders: await Promise.all(ids.map((id) => findRender(pool, id))) })
    }),
  )
}

/**
 * Asks for a render of { frames, only, formats, options } of the shot as it is saved now; with { follows, look }, of all its frames as they come. Answers how many frames it has; none is no render: then
 * all that was asked for is there.
 */
export function POST(request: Request, { params }: Context): Promise<Response> {
  return answer(async () =>
    Response.json(await askRender((await params).id, await readBody(request, renderBody))),
  )
}

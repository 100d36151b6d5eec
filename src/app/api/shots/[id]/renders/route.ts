import { answer, newId, RequestError } from '../../../../../server/answer.ts'
import { renderBody } from '../../../../../server/contracts.ts'
import { withDb } from '../../../../../server/db/pool.ts'
import { findRender, insertRender, rendersOfShot } from '../../../../../server/db/renders.ts'
import { readBody } from '../../../../../server/request-body.ts'
import { openShot } from '../../../../../server/shot-service.ts'

type Context = { params: Promise<{ id: string }> }

export function GET(_: Request, { params }: Context): Promise<Response> {
  return answer(async () =>
    withDb(async (pool) => {
      const ids = await rendersOfShot(pool, (await params).id)
      return Response.json({ renders: await Promise.all(ids.map((id) => findRender(pool, id))) })
    }),
  )
}

/** Asks for a render of { first, last, formats } of the shot as it is saved now. */
export function POST(request: Request, { params }: Context): Promise<Response> {
  return answer(async () => {
    const { first, last, formats } = await readBody(request, renderBody)
    if (last < first || last - first >= 10_000)
      throw new RequestError(400, `A range from ${first} to ${last} can not be rendered.`)
    const shot = await openShot((await params).id)
    const id = newId()
    const frames = Array.from({ length: last - first + 1 }, (_, i) => first + i)
    const { comp, media, revision } = shot
    await withDb((pool) =>
      insertRender(pool, {
        id,
        shotId: shot.id,
        revision,
        comp,
        media,
        formats: [...new Set(formats)],
        frames,
      }),
    )
    return Response.json({ id })
  })
}

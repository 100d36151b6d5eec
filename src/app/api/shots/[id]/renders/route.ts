import * as v from 'valibot'
import { outputFormats } from '../../../../../core/formats/write-picture.ts'
import { answer, newId, readJson, RequestError } from '../../../../../server/answer.ts'
import { withDb } from '../../../../../server/db/pool.ts'
import { findRender, insertRender, rendersOfShot } from '../../../../../server/db/renders.ts'
import { openShot } from '../../../../../server/shot-service.ts'

type Context = { params: Promise<{ id: string }> }
const whole = v.pipe(v.number(), v.integer())
const renderSchema = v.object({
  first: whole,
  last: whole,
  formats: v.pipe(v.array(v.picklist(outputFormats)), v.minLength(1, 'Choose at least one format.')),
})

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
    const body = v.safeParse(renderSchema, await readJson(request))
    if (!body.success) throw new RequestError(400, body.issues[0].message)
    const { first, last, formats } = body.output
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

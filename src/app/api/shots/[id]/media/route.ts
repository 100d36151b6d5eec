import { createHash } from 'node:crypto'
import * as v from 'valibot'
import { gapFillings, readingSchema } from '../../../../../core/comp/media.ts'
import { passDetailSchema, passKinds } from '../../../../../core/comp/pass-kind.ts'
import { answer, readJson, RequestError } from '../../../../../server/answer.ts'
import { readMedia, setPass, setReading } from '../../../../../server/db/media.ts'
import { withDb } from '../../../../../server/db/pool.ts'
import { withIncoming } from '../../../../../server/incoming.ts'
import { bringIn } from '../../../../../server/media/intake.ts'

type Context = { params: Promise<{ id: string }> }

/** All media of the shot, so that a page can follow frames as they arrive; 304 where nothing changed. */
export function GET(request: Request, { params }: Context): Promise<Response> {
  return answer(async () => {
    const { table } = await withDb(async (pool) => readMedia(pool, (await params).id))
    const body = JSON.stringify({ media: table })
    const etag = `"${createHash('sha256').update(body).digest('hex').slice(0, 32)}"`
    if (request.headers.get('if-none-match') === etag)
      return new Response(undefined, { status: 304, headers: { etag } })
    return new Response(body, {
      headers: { 'content-type': 'application/json', 'cache-control': 'no-cache', etag },
    })
  })
}

/** Brings a file into the shot, see withIncoming; x-file-name is its name. Gives back its ref. */
export function POST(request: Request, { params }: Context): Promise<Response> {
  return answer(async () => {
    const { id } = await params
    return withDb(async (pool) => {
      const { ref } = await withIncoming(request, ({ path, fileName, modifiedMs, isInPlace }) =>
        bringIn(pool, id, path, fileName, { modifiedMs, isInPlace }),
      )
      return Response.json({ ref })
    })
  })
}

const changeSchema = v.union([
  v.object({
    media: v.string(),
    pass: v.string(),
    kind: v.optional(v.picklist(passKinds)),
    detail: v.optional(passDetailSchema),
  }),
  v.object({
    media: v.string(),
    reading: v.optional(readingSchema),
    gaps: v.optional(v.picklist(gapFillings)),
  }),
])

/** Says by hand what a pass is, { media, pass, kind?, detail? }, or how media are read, { media, reading?, gaps? }. Gives back all media. */
export function PATCH(request: Request, { params }: Context): Promise<Response> {
  return answer(async () => {
    const body = v.safeParse(changeSchema, await readJson(request))
    if (!body.success)
      throw new RequestError(
        400,
        `This wants { media, pass, kind?, detail? } with kind one of ${passKinds.join(', ')}, or { media, reading?, gaps? }.`,
      )
    const { id } = await params
    const change = body.output
    return withDb(async (pool) => {
      const isThere =
        'pass' in change
          ? await setPass(pool, id, change.media, change.pass, change)
          : await setReading(pool, id, change.media, change)
      if (!isThere) throw new RequestError(404, `There is no such pass or media as ${change.media}.`)
      const { table, warnings } = await readMedia(pool, id)
      return Response.json({ media: table, notes: warnings })
    })
  })
}

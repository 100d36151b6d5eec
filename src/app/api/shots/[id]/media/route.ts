import { createHash } from 'node:crypto'
import { answer, RequestError } from '../../../../../server/answer.ts'
import { mediaChange } from '../../../../../server/contracts.ts'
import { readMedia, setPass, setReading } from '../../../../../server/db/media.ts'
import { withDb } from '../../../../../server/db/pool.ts'
import { findShot } from '../../../../../server/db/shots.ts'
import { withIncoming } from '../../../../../server/incoming.ts'
import { bringIn } from '../../../../../server/media/intake.ts'
import { readBody } from '../../../../../server/request-body.ts'

type Context = { params: Promise<{ id: string }> }

/** All media of the shot, so that a page can follow frames as they arrive; 304 where nothing changed. */
export function GET(request: Request, { params }: Context): Promise<Response> {
  return answer(async () => {
    const { table } = await withDb(async (pool) => {
      const { id } = await params
      if (!(await findShot(pool, id)))
        throw new RequestError(404, 'There is no such shot. It may have been deleted.')
      return readMedia(pool, id)
    })
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

/** Says by hand what a pass is, { media, pass, kind?, detail? }, or how media are read, { media, reading?, gaps? }. Gives back all media. */
export function PATCH(request: Request, { params }: Context): Promise<Response> {
  return answer(async () => {
    const change = await readBody(request, mediaChange)
    const { id } = await params
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

import { isPng } from '../../../../../core/formats/png.ts'
import { answer, RequestError } from '../../../../../server/answer.ts'
import { most } from '../../../../../server/contracts.ts'
import { withDb } from '../../../../../server/db/pool.ts'
import { readThumbnail, saveThumbnail } from '../../../../../server/db/shots.ts'
import { readBytes } from '../../../../../server/request-body.ts'

type Context = { params: Promise<{ id: string }> }

/** The picture of a shot; asked for with ?of= its last change, it may be kept. */
export function GET(request: Request, { params }: Context): Promise<Response> {
  return answer(async () => {
    const image = await withDb(async (pool) => readThumbnail(pool, (await params).id))
    if (!image) throw new RequestError(404, 'This shot has no picture yet.')
    const isOfChange = new URL(request.url).searchParams.has('of')
    return new Response(new Uint8Array(image), {
      headers: {
        'content-type': 'image/png',
        'cache-control': isOfChange ? 'private, max-age=604800' : 'no-cache',
      },
    })
  })
}

export function PUT(request: Request, { params }: Context): Promise<Response> {
  return answer(async () => {
    const image = await readBytes(request, most.thumbnail)
    if (!isPng(image)) throw new RequestError(400, 'The picture of a shot is sent as a PNG.')
    const isSaved = await withDb(async (pool) => saveThumbnail(pool, (await params).id, image))
    if (!isSaved) throw new RequestError(404, 'There is no such shot. It may have been deleted.')
    return Response.json({ ok: true })
  })
}

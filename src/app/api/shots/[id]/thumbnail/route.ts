import { answer, RequestError } from '../../../../../server/answer.ts'
import { withDb } from '../../../../../server/db/pool.ts'
import { readThumbnail, saveThumbnail } from '../../../../../server/db/shots.ts'

type Context = { params: Promise<{ id: string }> }
const mostBytes = 2_000_000

export function GET(_: Request, { params }: Context): Promise<Response> {
  return answer(async () => {
    const image = await withDb(async (pool) => readThumbnail(pool, (await params).id))
    if (!image) throw new RequestError(404, 'This shot has no picture yet.')
    return new Response(new Uint8Array(image), {
      headers: { 'content-type': 'image/png', 'cache-control': 'no-cache' },
    })
  })
}

export function PUT(request: Request, { params }: Context): Promise<Response> {
  return answer(async () => {
    const image = new Uint8Array(await request.arrayBuffer())
    const isPng = image[0] === 0x89 && image[1] === 0x50
    if (!isPng || image.length > mostBytes)
      throw new RequestError(400, 'The picture of a shot wants a PNG of at most 2 MB.')
    await withDb(async (pool) => saveThumbnail(pool, (await params).id, image))
    return Response.json({ ok: true })
  })
}

import { answer, RequestError } from '../../../../../../server/answer.ts'
import { withDb } from '../../../../../../server/db/pool.ts'
import { findRender } from '../../../../../../server/db/renders.ts'
import { shownPicture } from '../../../../../../server/render/shown-picture.ts'

type Context = { params: Promise<{ id: string; frame: string }> }

/** A frame of a render as a PNG to be looked at: as on screen where the render has that, else by the sRGB curve. */
export function GET(_: Request, { params }: Context): Promise<Response> {
  return answer(async () => {
    const { id, frame } = await params
    const render = await withDb((pool) => findRender(pool, id))
    const found = render?.frames.find((f) => String(f.frame) === frame)
    const png = found && (await shownPicture(id, found.files))
    if (!png) throw new RequestError(404, 'This render has no files of this frame.')
    return new Response(new Uint8Array(png), {
      headers: { 'content-type': 'image/png', 'cache-control': 'no-cache' },
    })
  })
}

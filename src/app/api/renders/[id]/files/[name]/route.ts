import { join } from 'node:path'
import { answer, RequestError } from '../../../../../../server/answer.ts'
import { withDb } from '../../../../../../server/db/pool.ts'
import { findRender } from '../../../../../../server/db/renders.ts'
import { fileResponse } from '../../../../../../server/file-response.ts'
import { folders } from '../../../../../../server/home.ts'

type Context = { params: Promise<{ id: string; name: string }> }

const types = {
  png: 'image/png',
  jpg: 'image/jpeg',
  webp: 'image/webp',
  tif: 'image/tiff',
  exr: 'image/x-exr',
} as const
const typeOf = (name: string): string =>
  Object.entries(types).find(([ending]) => name.endsWith(`.${ending}`))?.[1] ?? 'application/octet-stream'

/** A file that a render has written; only names that the render lists are served. */
export function GET(request: Request, { params }: Context): Promise<Response> {
  return answer(async () => {
    const { id, name } = await params
    const render = await withDb((pool) => findRender(pool, id))
    const isListed = render?.frames.some((f) => f.files.includes(name) || f.small === name)
    const path = join(/*turbopackIgnore: true*/ folders.renders, id, name)
    const file =
      isListed &&
      (await fileResponse(request, path, {
        'content-type': typeOf(name),
        'content-disposition': `attachment; filename="${name}"`,
      }))
    if (!file) throw new RequestError(404, 'This render has no such file, or it was removed from the disk.')
    return file
  })
}
export const HEAD = GET

import { createReadStream } from 'node:fs'
import { stat } from 'node:fs/promises'
import { join } from 'node:path'
import { Readable } from 'node:stream'
import { answer, RequestError } from '../../../../../../server/answer.ts'
import { withDb } from '../../../../../../server/db/pool.ts'
import { findRender } from '../../../../../../server/db/renders.ts'
import { folders } from '../../../../../../server/home.ts'

type Context = { params: Promise<{ id: string; name: string }> }

/** A file that a render has written; only names that the render lists are served. */
export function GET(_: Request, { params }: Context): Promise<Response> {
  return answer(async () => {
    const { id, name } = await params
    const render = await withDb((pool) => findRender(pool, id))
    const isListed = render?.frames.some((f) => f.files.includes(name))
    const path = join(/*turbopackIgnore: true*/ folders.renders, id, name)
    const found = isListed ? await stat(path).catch(() => undefined) : undefined
    if (!found) throw new RequestError(404, 'This render has no such file, or it was removed from the disk.')
    return new Response(Readable.toWeb(createReadStream(path)) as ReadableStream, {
      headers: {
        'content-type': name.endsWith('.png') ? 'image/png' : 'image/x-exr',
        'content-length': String(found.size),
        'content-disposition': `attachment; filename="${name}"`,
      },
    })
  })
}

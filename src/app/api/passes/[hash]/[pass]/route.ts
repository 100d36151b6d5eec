import { createReadStream } from 'node:fs'
import { stat } from 'node:fs/promises'
import { Readable } from 'node:stream'
import { answer, RequestError } from '../../../../../server/answer.ts'
import { decodeInThread } from '../../../../../server/media/intake.ts'
import { passPath, storedPath } from '../../../../../server/media/store.ts'

type Context = { params: Promise<{ hash: string; pass: string }> }

const sizeOf = (path: string) => stat(path).then((s) => s.size, () => undefined) // prettier-ignore

/** One pass of one stored file, named by content and therefore never changing. */
export function GET(_: Request, { params }: Context): Promise<Response> {
  return answer(async () => {
    const { hash, pass } = await params
    if (!/^[0-9a-f]{64}$/.test(hash) || (await sizeOf(storedPath(hash))) === undefined)
      throw new RequestError(404, 'The file of this pass is not in the store. Bring it in again.')
    const path = passPath(hash, decodeURIComponent(pass))
    // Decoded passes may have been cleared away; the file has them still.
    if ((await sizeOf(path)) === undefined) await decodeInThread(hash, 'stored file')
    const size = await sizeOf(path)
    if (size === undefined) throw new RequestError(404, 'The file has no such pass.')
    return new Response(Readable.toWeb(createReadStream(path)) as ReadableStream, {
      headers: {
        'content-type': 'application/octet-stream',
        'content-length': String(size),
        'cache-control': 'public, max-age=31536000, immutable',
      },
    })
  })
}

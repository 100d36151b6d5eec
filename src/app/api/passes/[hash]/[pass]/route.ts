import { createReadStream } from 'node:fs'
import { stat } from 'node:fs/promises'
import { Readable } from 'node:stream'
import { parseReadAs } from '../../../../../core/comp/media.ts'
import { passFilters } from '../../../../../core/formats/reduce-pass.ts'
import { answer, RequestError } from '../../../../../server/answer.ts'
import { decodePool } from '../../../../../server/media/decode-pool.ts'
import { exists, storedPath } from '../../../../../server/media/store.ts'

type Context = { params: Promise<{ hash: string; pass: string }> }

/**
 * One pass of one stored file, named by content and therefore never changing. ?as= says how it is read (see readAsKey), ?size=
 * 1, 2 or 4 the part of its size, ?filter= how it is made smaller.
 */
export function GET(request: Request, { params }: Context): Promise<Response> {
  return answer(async () => {
    const { hash, pass } = await params
    const query = new URL(request.url).searchParams
    const as = query.get('as') ?? ''
    const reduction = ([1, 2, 4] as const).find((r) => r === Number(query.get('size') ?? 1))
    const filter = passFilters.find((f) => f === (query.get('filter') ?? 'mean'))
    if (!reduction || !filter || !parseReadAs(as))
      throw new RequestError(400, 'A pass is asked for with as, size (1, 2 or 4) and filter.')
    if (!/^[0-9a-f]{64}$/.test(hash) || !(await exists(storedPath(hash))))
      throw new RequestError(404, 'The file of this pass is not in the store. Bring it in again.')
    const path = await decodePool().form(hash, { pass: decodeURIComponent(pass), as, reduction, filter })
    return new Response(Readable.toWeb(createReadStream(path)) as ReadableStream, {
      headers: {
        'content-type': 'application/octet-stream',
        'content-length': String((await stat(path)).size),
        'cache-control': 'public, max-age=31536000, immutable',
      },
    })
  })
}

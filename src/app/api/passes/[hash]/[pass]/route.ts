import { parseReadAs } from '../../../../../core/comp/media.ts'
import { answer, RequestError } from '../../../../../server/answer.ts'
import { passQuery } from '../../../../../server/contracts.ts'
import { fileResponse } from '../../../../../server/file-response.ts'
import { decodePool } from '../../../../../server/media/decode-pool.ts'
import { exists, storedPath } from '../../../../../server/media/store.ts'
import { fitting, queryOf } from '../../../../../server/request-body.ts'

type Context = { params: Promise<{ hash: string; pass: string }> }

/**
 * One pass of one stored file, named by content and therefore never changing. ?as= says how it is read (see readAsKey), ?size=
 * 1, 2 or 4 the part of its size, ?filter= how it is made smaller; ?rows= of its full size some rows alone, from one to before another, counted on
 * the canvas.
 */
export function GET(request: Request, { params }: Context): Promise<Response> {
  return answer(async () => {
    const { hash, pass } = await params
    const { as, size, filter, rows } = fitting(passQuery, queryOf(request))
    if (!parseReadAs(as)) throw new RequestError(400, `A pass can not be read as ${JSON.stringify(as)}.`)
    if (!/^[0-9a-f]{64}$/.test(hash) || !(await exists(storedPath(hash))))
      throw new RequestError(404, 'The file of this pass is not in the store. Bring it in again.')
    const reduction = ([1, 2, 4] as const).find((r) => String(r) === size)!
    const form = { pass, as, reduction, filter }
    if (rows !== undefined && reduction === 1) {
      const [from = 0, to = 0] = rows.split(',').map(Number)
      return new Response(await decodePool().rows(hash, form, [from, to]), {
        headers: { 'content-type': 'application/octet-stream', 'cache-control': 'no-store' },
      })
    }
    const path = await decodePool().form(hash, form)
    const file = await fileResponse(request, path, {
      'content-type': 'application/octet-stream',
      'cache-control': 'public, max-age=31536000, immutable',
    })
    if (!file) throw new RequestError(503, 'This form of the pass was cleared away just now. Ask again.')
    return file
  })
}
export const HEAD = GET

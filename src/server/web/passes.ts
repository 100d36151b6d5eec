import type { IncomingMessage, ServerResponse } from 'node:http'
import { Readable } from 'node:stream'
import { pipeline } from 'node:stream/promises'
import type { ReadableStream } from 'node:stream/web'
import { parseReadAs } from '../../core/comp/media.ts'
import { answer, RequestError } from '../answer.ts'
import { passQuery } from '../contracts.ts'
import { fileResponse } from '../file-response.ts'
import { decodePool } from '../media/decode-pool.ts'
import { exists, storedPath } from '../media/store.ts'
import { loggerOf } from '../log.ts'
import { fitting, queryOf } from '../request-body.ts'

const log = loggerOf('passes')

// Passes go past Next.js: they are tens of megabytes a frame, and it would send them in small pieces, never packed and without their length.

const address = /^\/api\/passes\/([^/]+)\/([^/]+)\/?$/

/** Whether a path names a pass. */
export const isPassPath = (path: string): boolean => address.test(path)

/**
 * One pass of one stored file, named by content and therefore never changing. ?as= says how it is read (see readAsKey), ?size=
 * 1, 2, 4 or 8 the part of its size, ?filter= how it is made smaller; ?rows= of its full size some rows alone, from one to before another, counted on
 * the canvas, and of those ?columns= alone.
 */
export function passAnswer(request: Request): Promise<Response> {
  return answer(async () => {
    if (request.method !== 'GET' && request.method !== 'HEAD')
      return new Response(null, { status: 405, headers: { allow: 'GET, HEAD' } })
    const [, hash = '', name = ''] = address.exec(new URL(request.url).pathname) ?? []
    const { as, size, filter, rows, columns } = fitting(passQuery, queryOf(request))
    if (!parseReadAs(as)) throw new RequestError(400, `A pass can not be read as ${JSON.stringify(as)}.`)
    if (!/^[0-9a-f]{64}$/.test(hash) || !(await exists(storedPath(hash))))
      throw new RequestError(404, 'The file of this pass is not in the store. Bring it in again.')
    const reduction = ([1, 2, 4, 8] as const).find((r) => String(r) === size)!
    // The guard lets no address through that is not escaped well.
    const form = { pass: decodeURIComponent(name), as, reduction, filter }
    if (rows !== undefined && reduction === 1) {
      const spanOf = (text: string) => text.split(',').map(Number) as [from: number, to: number]
      const window = { rows: spanOf(rows), ...(columns !== undefined && { columns: spanOf(columns) }) }
      return new Response(await decodePool().window(hash, form, window, request.signal), {
        headers: { 'content-type': 'application/octet-stream', 'cache-control': 'no-store' },
      })
    }
    const path = await decodePool().form(hash, form, request.signal)
    const headers = {
      'content-type': 'application/octet-stream',
      'cache-control': 'public, max-age=31536000, immutable',
    }
    const file = await fileResponse(request, path, headers, true)
    if (!file) throw new RequestError(503, 'This form of the pass was cleared away just now. Ask again.')
    return file
  })
}

/** Serves a request for a pass. */
export async function servePass(request: IncomingMessage, response: ServerResponse): Promise<void> {
  const headers = new Headers()
  for (const [name, value] of Object.entries(request.headers))
    if (typeof value === 'string') headers.set(name, value)
  const left = new AbortController()
  response.on('close', () => {
    left.abort()
  })
  const asked = new Request(new URL(request.url ?? '/', 'http://localhost'), {
    method: request.method ?? 'GET',
    headers,
    signal: left.signal,
  })
  const made = await passAnswer(asked)
  response.writeHead(made.status, Object.fromEntries(made.headers))
  if (!made.body) {
    response.end()
    return
  }
  try {
    await pipeline(Readable.fromWeb(made.body as ReadableStream), response)
  } catch (error) {
    // Who asked has left, or the file broke off under way: what is cut short is seen as such, by its length or its packing.
    if (!left.signal.aborted) log.error(error)
    response.destroy()
  }
}

import { open } from 'node:fs/promises'
import { Readable } from 'node:stream'

/** So much is read and sent at once: passes are megabytes, and each piece costs the same whatever its length. */
const chunkBytes = 2 ** 20

/** One range of bytes, both ends counted (RFC 9110, 14.1.2); undefined for none, and for what is not of that form: then the whole is sent. */
function rangeOf(header: string | null, size: number): { start: number; end: number } | undefined {
  const [, from, to] = /^bytes=(\d+)-(\d*)$/.exec(header ?? '') ?? []
  if (from === undefined) return undefined
  const start = Number(from)
  const end = to ? Math.min(size - 1, Number(to)) : size - 1
  return start <= end ? { start, end } : undefined
}

/**
 * A file as an answer, or the range of it that is asked for; undefined when it is not there. It is opened when the first byte is wanted, and not at all for HEAD, so that who
 * asks and leaves keeps nothing open.
 */
export async function fileResponse(
  request: Request,
  path: string,
  headers: Readonly<Record<string, string>>,
): Promise<Response | undefined> {
  const file = await open(path).catch(() => undefined)
  if (!file) return undefined
  let isHandedOver = false
  try {
    const info = await file.stat()
    if (!info.isFile()) return undefined
    const range = rangeOf(request.headers.get('range'), info.size)
    const length = range ? range.end - range.start + 1 : info.size
    const all = {
      ...headers,
      'accept-ranges': 'bytes',
      'content-length': String(length),
      ...(range && { 'content-range': `bytes ${range.start}-${range.end}/${info.size}` }),
    }
    const status = range ? 206 : 200
    if (request.method === 'HEAD') return new Response(null, { headers: all, status })
    isHandedOver = true
    const stream = file.createReadStream({ ...range, highWaterMark: chunkBytes })
    // Who leaves before the first byte is read closes it too.
    if (request.signal.aborted) stream.destroy()
    else
      request.signal.addEventListener('abort', () => {
        stream.destroy()
      })
    return new Response(Readable.toWeb(stream) as ReadableStream, { headers: all, status })
  } finally {
    if (!isHandedOver) await file.close()
  }
}

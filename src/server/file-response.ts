import { open, type FileHandle } from 'node:fs/promises'
import { pipeline, Readable } from 'node:stream'
import { constants, createGzip, deflateRawSync } from 'node:zlib'

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

/** Below this nothing is gained by packing. */
const leastPackedBytes = 2 ** 20
const fast = { level: constants.Z_BEST_SPEED }

/** Whether a file shrinks to a quarter or less when it is packed quickly, by what three pieces of it do: names of objects do, light does not. */
async function shrinksWell(file: FileHandle, size: number): Promise<boolean> {
  const length = 8192
  const pieces = await Promise.all(
    [0, 0.37, 0.71].map(async (part) => {
      const { buffer, bytesRead } = await file.read(Buffer.alloc(length), 0, length, Math.floor(part * size))
      return buffer.subarray(0, bytesRead)
    }),
  )
  const bytes = Buffer.concat(pieces)
  return deflateRawSync(bytes, fast).length * 4 <= bytes.length
}

/**
 * A file as an answer, or the range of it that is asked for; undefined when it is not there. It is opened when the first byte is wanted, and not at all for HEAD, so that who
 * asks and leaves keeps nothing open. With `mayPack` the whole of a large file that shrinks well is sent packed to those who take that (RFC 9110, 8.4 and 12.5.3):
 * never through Next.js, which takes away the header that says so.
 */
export async function fileResponse(
  request: Request,
  path: string,
  headers: Readonly<Record<string, string>>,
  mayPack = false,
): Promise<Response | undefined> {
  const file = await open(path).catch(() => undefined)
  if (!file) return undefined
  let isHandedOver = false
  try {
    const info = await file.stat()
    if (!info.isFile()) return undefined
    const range = rangeOf(request.headers.get('range'), info.size)
    const length = range ? range.end - range.start + 1 : info.size
    const all: Record<string, string> = {
      ...headers,
      'accept-ranges': 'bytes',
      'content-length': String(length),
      ...(range && { 'content-range': `bytes ${range.start}-${range.end}/${info.size}` }),
    }
    const status = range ? 206 : 200
    const taken = request.headers.get('accept-encoding') ?? ''
    const isTaken = /\bgzip\b(?!\s*;\s*q=0(?:\.0*)?\s*(?:,|$))/.test(taken)
    const isPacked =
      mayPack && isTaken && !range && length >= leastPackedBytes && (await shrinksWell(file, length))
    if (isPacked) {
      delete all['content-length']
      all['content-encoding'] = 'gzip'
      all['vary'] = 'accept-encoding'
    }
    // Nothing is begun for who has left.
    request.signal.throwIfAborted()
    if (request.method === 'HEAD') return new Response(null, { headers: all, status })
    isHandedOver = true
    const stream = file.createReadStream({ ...range, highWaterMark: chunkBytes })
    // Who leaves before the first byte is read closes it too.
    request.signal.addEventListener('abort', () => {
      stream.destroy()
    })
    // A failure of either end ends both; who reads is told by the stream itself.
    const sent = isPacked
      ? pipeline(stream, createGzip({ ...fast, chunkSize: chunkBytes }), () => undefined)
      : stream
    return new Response(Readable.toWeb(sent) as ReadableStream, { headers: all, status })
  } finally {
    if (!isHandedOver) await file.close()
  }
}

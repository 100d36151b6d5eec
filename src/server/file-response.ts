import { open } from 'node:fs/promises'
import { Readable } from 'node:stream'

/**
 * A file as an answer; undefined when it is not there. It is opened when the first byte is wanted, and not at all for HEAD, so that who
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
    const all = { ...headers, 'content-length': String(info.size) }
    if (request.method === 'HEAD') return new Response(null, { headers: all })
    isHandedOver = true
    const stream = file.createReadStream()
    // Who leaves before the first byte is read closes it too.
    if (request.signal.aborted) stream.destroy()
    else
      request.signal.addEventListener('abort', () => {
        stream.destroy()
      })
    return new Response(Readable.toWeb(stream) as ReadableStream, { headers: all })
  } finally {
    if (!isHandedOver) await file.close()
  }
}

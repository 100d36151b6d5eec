import { AnswerError, requestJson } from './request-json.ts'

export interface SendOptions {
  readonly signal: AbortSignal
  /** Bytes that have been sent of this file. */
  readonly onSent?: (bytes: number) => void
}

/** Larger files are sent so that they can go on where a connection broke. */
const resumedFrom = 32 * 2 ** 20
const mostTries = 4

const headersOf = (file: File) => ({
  'x-file-name': encodeURIComponent(file.name),
  'x-file-modified': String(file.lastModified),
})

/** Sends bytes with a word on how far they have come, which fetch does not give. Rejects with AnswerError. */
function sendBytes<T>(
  method: string,
  path: string,
  body: Blob,
  headers: Readonly<Record<string, string>>,
  { signal, onSent }: SendOptions,
): Promise<T> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest()
    const abort = () => {
      request.abort()
    }
    signal.addEventListener('abort', abort)
    request.upload.onprogress = ({ loaded }) => onSent?.(loaded)
    request.onloadend = () => {
      signal.removeEventListener('abort', abort)
      if (signal.aborted) {
        reject(new AnswerError(0, 'It was cancelled.'))
        return
      }
      if (request.status === 0) {
        reject(new AnswerError(0, 'The server does not answer. Is Zafiro still running?'))
        return
      }
      let data: { error?: Record<string, unknown> & { message?: string } } | undefined
      try {
        data = JSON.parse(request.responseText) as typeof data
      } catch {
        data = undefined
      }
      if (request.status < 300) resolve(data as T)
      else
        reject(
          new AnswerError(
            request.status,
            data?.error?.message ?? `The server answered ${request.status}.`,
            data?.error,
          ),
        )
    }
    request.open(method, path)
    for (const [name, value] of Object.entries(headers)) request.setRequestHeader(name, value)
    request.send(body)
  })
}

/** Names an upload: the same file from the same place has the same key, in another session too. */
async function uploadKey({ name, size, lastModified }: File): Promise<string> {
  const text = new TextEncoder().encode(`${name}\n${size}\n${lastModified}`)
  const hash = new Uint8Array(await crypto.subtle.digest('SHA-256', text))
  return [...hash].map((b) => b.toString(16).padStart(2, '0')).join('')
}

/**
 * Sends a file to a route that takes one. A large one is sent to a place of its own first, and goes on from what has arrived
 * when the connection breaks or it was cancelled before. Rejects with AnswerError.
 */
export async function sendFile<T>(path: string, file: File, options: SendOptions): Promise<T> {
  const { signal, onSent } = options
  const isCut = () => signal.aborted
  if (isCut()) throw new AnswerError(0, 'It was cancelled.')
  if (file.size < resumedFrom) return sendBytes<T>('POST', path, file, headersOf(file), options)
  const key = await uploadKey(file)
  const upload = `/api/uploads/${key}`
  for (let tries = 0; ;) {
    const { received } = await requestJson<{ received: number }>(upload)
    onSent?.(received)
    if (received >= file.size) break
    try {
      await sendBytes(
        'PUT',
        `${upload}?offset=${received}`,
        file.slice(received),
        {},
        {
          signal,
          onSent: (bytes) => onSent?.(received + bytes),
        },
      )
    } catch (error) {
      const isBroken = error instanceof AnswerError && (error.status === 0 || error.status === 409)
      if (isCut() || !isBroken || ++tries >= mostTries) throw error
      await new Promise((resolve) => setTimeout(resolve, 500 * tries))
    }
  }
  return sendBytes<T>('POST', path, new Blob(), { ...headersOf(file), 'x-upload': key }, { signal })
}

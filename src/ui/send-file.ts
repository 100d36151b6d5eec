import { DetailedError, Upload } from 'tus-js-client'
import type { HashMessage } from './hash.worker.ts'
import type * as v from 'valibot'
import { AnswerError, readAnswer } from './request-json.ts'

export interface SendOptions {
  readonly signal: AbortSignal
  /** Bytes that have been sent of this file. */
  readonly onSent?: (bytes: number) => void
}

/** Larger files are sent so that they can go on where a connection broke. */
const resumedFrom = 32 * 2 ** 20
const retryDelays = [0, 500, 1500, 4000, 10_000, 20_000]

const headersOf = (file: File) => ({
  'x-file-name': encodeURIComponent(file.name),
  'x-file-modified': String(file.lastModified),
})
const noAnswer = () => new AnswerError(0, 'The server does not answer. Is Zafiro still running?')
const cancelled = () => new AnswerError(0, 'It was cancelled.')

/** Sends bytes with a word on how far they have come, which fetch does not give. Rejects with AnswerError. */
function sendBytes<T>(
  contract: v.GenericSchema<unknown, T>,
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
        reject(cancelled())
        return
      }
      if (request.status === 0) {
        reject(noAnswer())
        return
      }
      let data: { error?: Record<string, unknown> & { message?: string } } | undefined
      try {
        data = JSON.parse(request.responseText) as typeof data
      } catch {
        data = undefined
      }
      if (request.status < 300)
        try {
          resolve(readAnswer(contract, data))
        } catch (error) {
          reject(error instanceof Error ? error : new Error(String(error)))
        }
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

const hex = (bytes: ArrayBuffer) =>
  [...new Uint8Array(bytes)].map((b) => b.toString(16).padStart(2, '0')).join('')

/** SHA-256 of a small file; undefined where the browser gives no such thing to pages without TLS. */
async function hashSmall(file: File): Promise<string | undefined> {
  const { subtle } = crypto as { subtle?: SubtleCrypto }
  return subtle && hex(await subtle.digest('SHA-256', await file.arrayBuffer()))
}

/** SHA-256 of a file of any size, counted beside the page. Rejects when the file can not be read. */
function hashLarge(file: File, signal: AbortSignal): Promise<string> {
  const worker = new Worker(new URL('./hash.worker.ts', import.meta.url), { type: 'module' })
  return new Promise<string>((resolve, reject) => {
    worker.onmessage = ({ data }: MessageEvent<HashMessage>) => {
      if ('hash' in data) resolve(data.hash)
      else reject(new AnswerError(0, `${file.name} can not be read: ${data.problem}`))
    }
    worker.onerror = () => {
      reject(new AnswerError(0, `${file.name} can not be read.`))
    }
    signal.addEventListener('abort', () => {
      reject(cancelled())
    })
    worker.postMessage(file)
  }).finally(() => {
    worker.terminate()
  })
}

/** Sends a file by the upload protocol; gives back the upload's id. What arrived before is gone on from. */
function upload(file: File, { signal, onSent }: SendOptions, isResumed: boolean): Promise<string> {
  return new Promise((resolve, reject) => {
    const sending = new Upload(file, {
      endpoint: '/api/uploads',
      metadata: { filename: file.name },
      retryDelays,
      storeFingerprintForResuming: isResumed,
      removeFingerprintOnSuccess: true,
      onProgress: (sent) => onSent?.(sent),
      onError: (error) => {
        const status = error instanceof DetailedError ? (error.originalResponse?.getStatus() ?? 0) : 0
        const words = error instanceof DetailedError ? (error.originalResponse?.getBody().trim() ?? '') : ''
        reject(status === 0 ? noAnswer() : new AnswerError(status, words || `The server answered ${status}.`))
      },
      onSuccess: () => {
        resolve(sending.url?.split('/').at(-1) ?? '')
      },
    })
    signal.addEventListener('abort', () => {
      // What has arrived stays, so that it can go on later.
      void sending.abort()
      reject(cancelled())
    })
    const begin = async () => {
      const before = isResumed ? await sending.findPreviousUploads() : []
      if (before[0]) sending.resumeFromPreviousUpload(before[0])
      if (!signal.aborted) sending.start()
    }
    begin().catch(reject)
  })
}

/**
 * Sends a file to a route that takes one. A large one is sent to a place of its own first, and goes on from what has arrived when the
 * connection breaks or it was cancelled before; another tab that sends the same file sends it for itself. The server compares the
 * hash of the whole. Rejects with AnswerError.
 */
export async function sendFile<T>(
  contract: v.GenericSchema<unknown, T>,
  path: string,
  file: File,
  options: SendOptions,
): Promise<T> {
  const { signal } = options
  if (signal.aborted) throw cancelled()
  if (file.size < resumedFrom) {
    const hash = await hashSmall(file)
    const headers = { ...headersOf(file), ...(hash === undefined ? {} : { 'x-content-hash': hash }) }
    return sendBytes(contract, 'POST', path, file, headers, options)
  }
  const hashing = hashLarge(file, signal)
  // Whoever fails first is told; the other is of no more use.
  hashing.catch(() => undefined)
  const name = `zafiro-upload ${file.name} ${file.size} ${file.lastModified}`
  const { locks } = navigator as { locks?: LockManager }
  const id = locks
    ? await locks.request(name, { ifAvailable: true }, (lock) => upload(file, options, lock !== null))
    : await upload(file, options, false)
  const headers = { ...headersOf(file), 'x-upload': id, 'x-content-hash': await hashing }
  return sendBytes(contract, 'POST', path, new Blob(), headers, { signal })
}

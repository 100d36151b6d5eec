import { Cancelled } from '../../core/cancelled.ts'
import type { BytesReply, BytesWanted } from './messages.ts'

/** The bytes behind an address; rejects with what the service says. */
export async function requestedBytes(url: string, signal?: AbortSignal): Promise<ArrayBuffer> {
  const answer = await fetch(url, signal ? { signal } : {})
  if (answer.ok) return answer.arrayBuffer()
  const body = (await answer.json().catch(() => undefined)) as { error?: { message?: string } } | undefined
  throw new Error(body?.error?.message ?? `What was asked for could not be loaded (${answer.status}).`)
}

/** The same, fetched by the thread at the other end of a port. Rejects with Cancelled when the signal says that nobody waits any more. */
export function bytesBy(port: Pick<MessagePort, 'postMessage' | 'onmessage'>) {
  const open = new Map<number, { resolve(bytes: ArrayBuffer): void; reject(error: Error): void }>()
  let next = 1
  port.onmessage = ({ data }: MessageEvent<BytesReply>) => {
    const waiting = open.get(data.id)
    open.delete(data.id)
    if ('bytes' in data) waiting?.resolve(data.bytes)
    else waiting?.reject(new Error(data.error))
  }
  return (url: string, signal?: AbortSignal): Promise<ArrayBuffer> =>
    new Promise((resolve, reject) => {
      const id = next++
      open.set(id, { resolve, reject })
      signal?.addEventListener('abort', () => {
        if (!open.delete(id)) return
        port.postMessage({ id, isGivenUp: true } satisfies BytesWanted)
        reject(new Cancelled())
      })
      port.postMessage({ id, url } satisfies BytesWanted)
    })
}

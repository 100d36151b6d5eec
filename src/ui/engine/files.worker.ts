import { requestedBytes } from './fetch-bytes.ts'
import type { BytesReply, BytesWanted } from './messages.ts'

// Fetches passes while the engine computes: a thread that computes takes in nothing of what arrives meanwhile.

self.onmessage = ({ data: port }: MessageEvent<MessagePort>) => {
  const open = new Map<number, AbortController>()
  port.onmessage = ({ data }: MessageEvent<BytesWanted>) => {
    const { id } = data
    if ('isGivenUp' in data) {
      open.get(id)?.abort()
      return
    }
    const controller = new AbortController()
    open.set(id, controller)
    const reply = (message: BytesReply, transfer: ArrayBuffer[] = []) => {
      port.postMessage(message, transfer)
    }
    requestedBytes(data.url, controller.signal)
      .then(
        (bytes) => {
          reply({ id, bytes }, [bytes])
        },
        (error: unknown) => {
          if (!controller.signal.aborted)
            reply({ id, error: error instanceof Error ? error.message : String(error) })
        },
      )
      .finally(() => open.delete(id))
  }
}

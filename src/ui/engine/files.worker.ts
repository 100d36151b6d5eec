import { requestedBytes } from './fetch-bytes.ts'
import type { BytesReply, BytesWanted } from './messages.ts'

// Fetches passes while the engine computes: a thread that computes takes in nothing of what arrives meanwhile.

self.onmessage = ({ data: port }: MessageEvent<MessagePort>) => {
  port.onmessage = ({ data: { id, url } }: MessageEvent<BytesWanted>) => {
    const reply = (message: BytesReply, transfer: ArrayBuffer[] = []) => {
      port.postMessage(message, transfer)
    }
    requestedBytes(url).then(
      (bytes) => {
        reply({ id, bytes }, [bytes])
      },
      (error: unknown) => {
        reply({ id, error: error instanceof Error ? error.message : String(error) })
      },
    )
  }
}

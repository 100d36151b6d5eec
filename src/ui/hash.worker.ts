import { sha256 } from '@noble/hashes/sha2.js'
import { bytesToHex } from '@noble/hashes/utils.js'

/** What is told of a file: its SHA-256 in hexadecimal digits, or why it could not be read. */
export type HashMessage = { readonly hash: string } | { readonly problem: string }

async function hashOf(file: File): Promise<string> {
  const hash = sha256.create()
  const reader = file.stream().getReader()
  for (;;) {
    const { done, value } = await reader.read()
    if (done) return bytesToHex(hash.digest())
    hash.update(value)
  }
}

self.addEventListener('message', ({ data }: MessageEvent<File>) => {
  const say = (message: HashMessage) => {
    self.postMessage(message)
  }
  hashOf(data).then(
    (hash) => {
      say({ hash })
    },
    (error: unknown) => {
      say({ problem: error instanceof Error ? error.message : String(error) })
    },
  )
})

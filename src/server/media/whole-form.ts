import { open } from 'node:fs/promises'
import { passBlockLength, passHeaderBytes } from '../../core/formats/pass-block.ts'

/** Whether a made form is as long as its beginning says: what was cut by a loss of power counts as absent. */
export async function isWholeForm(path: string): Promise<boolean> {
  const file = await open(path).catch(() => undefined)
  if (!file) return false
  try {
    const header = new Uint8Array(passHeaderBytes)
    const { bytesRead } = await file.read(header, 0, passHeaderBytes, 0)
    const length = passBlockLength(header.subarray(0, bytesRead))
    return length !== undefined && (await file.stat()).size === length
  } finally {
    await file.close()
  }
}

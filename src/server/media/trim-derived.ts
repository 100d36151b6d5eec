import { readdir, rm, stat } from 'node:fs/promises'
import { join } from 'node:path'

/**
 * Keeps what is made from stored files below a size: files that have not been read longest go first, down to 80 % of it, so
 * that not every look removes a few. Everything here can be made again. Gives back the bytes that were freed.
 */
export async function trimDerived(folder: string, mostBytes: number): Promise<number> {
  const entries = await readdir(folder, { recursive: true, withFileTypes: true }).catch(() => [])
  const files = await Promise.all(
    entries
      .filter((e) => e.isFile() && !e.name.endsWith('.part'))
      .map(async (e) => {
        const path = join(e.parentPath, e.name)
        const info = await stat(path).catch(() => undefined)
        return info ? [{ path, bytes: info.size, usedMs: Math.max(info.atimeMs, info.mtimeMs) }] : []
      }),
  )
  const byUse = files.flat().sort((a, b) => a.usedMs - b.usedMs)
  let total = byUse.reduce((sum, f) => sum + f.bytes, 0)
  if (total <= mostBytes) return 0
  const before = total
  for (const { path, bytes } of byUse) {
    if (total <= mostBytes * 0.8) break
    await rm(path, { force: true })
    total -= bytes
  }
  return before - total
}

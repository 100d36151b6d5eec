import { existsSync } from 'node:fs'
import { readdir, rm, stat } from 'node:fs/promises'
import { join } from 'node:path'
import { writerOf } from '../whole-file.ts'

const dayMs = 24 * 3600e3

/**
 * Removes files that were being written when their process ended: those whose writer is gone, and those that nobody has touched for a day.
 * Gives back how many.
 */
export async function clearParts(folder: string, now = Date.now()): Promise<number> {
  let count = 0
  const entries = await readdir(folder, { recursive: true, withFileTypes: true }).catch(() => [])
  for (const entry of entries) {
    const writer = entry.isFile() ? writerOf(entry.name) : undefined
    if (writer === undefined) continue
    const path = join(entry.parentPath, entry.name)
    const info = await stat(path).catch(() => undefined)
    const isLeft = writer !== process.pid && !existsSync(`/proc/${writer}`)
    if (!info || (!isLeft && now - info.mtimeMs < dayMs)) continue
    await rm(path, { force: true })
    count++
  }
  return count
}

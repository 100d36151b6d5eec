import { closeSync, fsyncSync, mkdirSync, openSync, renameSync, rmSync, writeFileSync } from 'node:fs'
import { mkdir, open, rename, rm } from 'node:fs/promises'
import { dirname } from 'node:path'

// Files that are whole or absent, also after a loss of power.

/** Names of files that are being written; they end with the process that writes them. */
export const partName = (path: string) => `${path}.${process.pid}.${Math.random().toString(36).slice(2)}.part`

/** The process that a part belongs to; undefined for other names. */
export function writerOf(name: string): number | undefined {
  const found = /\.(\d+)\.[a-z0-9]+\.part$/.exec(name)?.[1]
  return found === undefined ? undefined : Number(found)
}

/** Makes the entries of a folder outlive a loss of power. */
export async function syncFolder(folder: string): Promise<void> {
  const opened = await open(folder, 'r')
  try {
    await opened.sync()
  } finally {
    await opened.close()
  }
}

/** Syncs a file's contents. */
export async function syncFile(path: string): Promise<void> {
  const opened = await open(path, 'r')
  try {
    await opened.sync()
  } finally {
    await opened.close()
  }
}

/** Makes a file under another name and renames it; when that fails, nothing of it stays on the disk. */
export async function throughPart(path: string, make: (part: string) => Promise<void>): Promise<void> {
  const part = partName(path)
  try {
    await make(part)
    await rename(part, path)
  } catch (error) {
    await rm(part, { force: true })
    throw error
  }
}

/**
 * Writes beside and renames: a reader never meets half a file, and a full disk leaves nothing behind that counts. What can be made
 * again need not be synced.
 */
export async function writeWhole(path: string, bytes: Uint8Array, { isSynced = true } = {}): Promise<void> {
  await mkdir(dirname(path), { recursive: true })
  await throughPart(path, async (part) => {
    const opened = await open(part, 'w')
    try {
      await opened.writeFile(bytes)
      if (isSynced) await opened.sync()
    } finally {
      await opened.close()
    }
  })
  if (isSynced) await syncFolder(dirname(path))
}

/** The same for small files, at once. */
export function writeWholeSync(path: string, bytes: Uint8Array, mode = 0o644): void {
  mkdirSync(dirname(path), { recursive: true })
  const part = partName(path)
  try {
    const opened = openSync(part, 'w', mode)
    try {
      writeFileSync(opened, bytes)
      fsyncSync(opened)
    } finally {
      closeSync(opened)
    }
    renameSync(part, path)
  } catch (error) {
    rmSync(part, { force: true })
    throw error
  }
}

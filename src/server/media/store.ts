import { createHash } from 'node:crypto'
import { constants, createReadStream } from 'node:fs'
import { copyFile, mkdir, open, rename, rm, stat, writeFile } from 'node:fs/promises'
import { dirname, join } from 'node:path'
import { pipeline } from 'node:stream/promises'
import type { PassFilter } from '../../core/formats/reduce-pass.ts'
import { folders } from '../home.ts'

const isHash = (text: string) => /^[0-9a-f]{64}$/.test(text)

/** Where the bytes with a content hash lie. Throws for what is not a hash, so that no path can be smuggled in. */
export function storedPath(hash: string): string {
  if (!isHash(hash)) throw new Error(`Internal mistake: ${hash} is not a content hash`)
  return join(folders.store, hash.slice(0, 2), hash)
}

/** Which form of a stored file's pass: how it is read, and at which part of its size. */
export interface PassForm {
  readonly pass: string
  /** See readAsKey. */
  readonly as: string
  readonly reduction: 1 | 2 | 4
  /** How it is made smaller. */
  readonly filter: PassFilter
}

/** Where everything made from a stored file lies. */
export function derivedFolder(hash: string): string {
  return join(folders.derived, dirname(storedPath(hash)).slice(-2), hash)
}

/** Where a form of a pass lies once it is made. Names of passes may hold anything, so they are hashed. */
export function passPath(hash: string, { pass, as, reduction, filter }: PassForm): string {
  const name = createHash('sha256')
    .update(`${as}\n${reduction === 1 ? '' : filter}\n${pass}`)
    .digest('hex')
    .slice(0, 24)
  return join(derivedFolder(hash), `${name}.${reduction}.pass`)
}

/** Where the list of a pass's objects lies. */
export function objectsPath(hash: string, pass: string): string {
  return join(
    derivedFolder(hash),
    `${createHash('sha256').update(pass).digest('hex').slice(0, 24)}.objects.json`,
  )
}

export async function exists(path: string): Promise<boolean> {
  return stat(path).then(
    () => true,
    () => false,
  )
}

/** SHA-256 of a file's contents, streamed. */
export async function hashFile(path: string): Promise<string> {
  const hash = createHash('sha256')
  await pipeline(createReadStream(path), hash)
  return hash.digest('hex')
}

/** Writes beside and renames: a reader never meets half a file, and a full disk leaves nothing behind that counts. */
export async function writeWhole(path: string, bytes: Uint8Array): Promise<void> {
  await mkdir(dirname(path), { recursive: true })
  await throughPart(path, (part) => writeFile(part, bytes))
}

/** Makes a file under another name and renames it; when that fails, nothing of it stays on the disk. */
async function throughPart(path: string, make: (part: string) => Promise<void>): Promise<void> {
  const part = `${path}.${process.pid}.${Math.random().toString(36).slice(2)}.part`
  try {
    await make(part)
    await rename(part, path)
  } catch (error) {
    await rm(part, { force: true })
    throw error
  }
}

/**
 * Copies a file into the store under the hash of what was copied, so that a file that changes meanwhile can not lie there under
 * the hash of another; the same content is stored once.
 */
export async function storeFile(path: string): Promise<string> {
  await mkdir(folders.store, { recursive: true })
  const copy = join(folders.store, `incoming-${process.pid}-${Math.random().toString(36).slice(2)}.part`)
  try {
    await copyFile(path, copy, constants.COPYFILE_FICLONE)
    const hash = await hashFile(copy)
    const target = storedPath(hash)
    if (!(await exists(target))) {
      await mkdir(dirname(target), { recursive: true })
      await rename(copy, target)
    }
    return hash
  } finally {
    await rm(copy, { force: true })
  }
}

/**
 * Reads a whole file, larger ones than one read can take too. A file that changes its size on the way is refused, so that
 * nothing half written is taken for the picture.
 */
export async function readWhole(path: string): Promise<Uint8Array<ArrayBuffer>> {
  const file = await open(path)
  try {
    const { size } = await file.stat()
    const bytes = new Uint8Array(size)
    const portion = 2 ** 28
    for (let at = 0; at < size;) {
      const { bytesRead } = await file.read(bytes, at, Math.min(portion, size - at), at)
      if (bytesRead === 0)
        throw new Error('The file became shorter while it was read. Bring it in when it is complete.')
      at += bytesRead
    }
    if ((await file.stat()).size !== size)
      throw new Error('The file grew while it was read. Bring it in when it is complete.')
    return bytes
  } finally {
    await file.close()
  }
}

export async function readStored(hash: string): Promise<Uint8Array<ArrayBuffer>> {
  return readWhole(storedPath(hash))
}

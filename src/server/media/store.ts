import { createHash } from 'node:crypto'
import { constants, createReadStream, statSync } from 'node:fs'
import { copyFile, mkdir, open, rename, rm, stat } from 'node:fs/promises'
import { dirname, join } from 'node:path'
import { pipeline } from 'node:stream/promises'
import type { PassFilter } from '../../core/passes/pass-kind.ts'
import { folders } from '../home.ts'
import { partName, syncFile, syncFolder } from '../whole-file.ts'

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
  readonly reduction: 1 | 2 | 4 | 8
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
    // Colour that was read before its primaries were is read anew.
    .update(`${as === 'data' ? as : `light ${as}`}\n${reduction === 1 ? '' : filter}\n${pass}`)
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
  // Large pieces: a frame of 4K is hashed a third faster.
  await pipeline(createReadStream(path, { highWaterMark: 2 ** 20 }), hash)
  return hash.digest('hex')
}

/** Whether a stored file still holds what its name says. */
export async function isSound(hash: string): Promise<boolean> {
  return hashFile(storedPath(hash)).then(
    (found) => found === hash,
    () => false,
  )
}

/**
 * Copies a file into the store under the hash of what was copied, so that a file that changes meanwhile can not lie there under
 * the hash of another; the same content is stored once. What lies there already is looked through: a damaged one is replaced by
 * the new copy. Once this resolves, the file outlives a loss of power.
 */
export async function storeFile(path: string): Promise<string> {
  await mkdir(folders.store, { recursive: true })
  const copy = partName(join(folders.store, 'incoming'))
  try {
    await copyFile(path, copy, constants.COPYFILE_FICLONE)
    const [hash] = await Promise.all([hashFile(copy), syncFile(copy)])
    if (await isSound(hash)) {
      noteWhole(hash)
      return hash
    }
    const target = storedPath(hash)
    await mkdir(dirname(target), { recursive: true })
    await rename(copy, target)
    await rm(damagedPath(hash), { force: true })
    await syncFolder(dirname(target))
    await syncFolder(folders.store)
    noteWhole(hash)
    return hash
  } finally {
    await rm(copy, { force: true })
  }
}

/** Whether a file lies in the store as long as it was when it was taken. */
export async function isKept(hash: string, bytes: number): Promise<boolean> {
  return stat(storedPath(hash)).then(
    ({ size }) => size === bytes,
    () => false,
  )
}

/** Where a stored file that no longer holds what its name says is put aside. */
export const damagedPath = (hash: string): string => `${storedPath(hash)}.damaged`

/** Puts a damaged file aside, so that it counts as missing and is taken again from the next copy that comes in. */
export async function putAside(hash: string): Promise<void> {
  await rename(storedPath(hash), damagedPath(hash)).catch(() => undefined)
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

/** A stored file is missing, or no longer holds what was brought in. */
export class DamagedError extends Error {
  override name = 'DamagedError'
}

/** Files that were whole when this process read them, or another that told it: what tells them from those that were written since. */
const foundWhole = new Map<string, string>()

function writtenAs(hash: string): string | undefined {
  const found = statSync(storedPath(hash), { throwIfNoEntry: false })
  return found && `${found.ino} ${found.size} ${found.mtimeMs}`
}

/** Whether a stored file was held against its name and has not been written since. */
export const isFoundWhole = (hash: string): boolean =>
  foundWhole.has(hash) && foundWhole.get(hash) === writtenAs(hash)

/** Notes that a stored file was held against its name: it is not again until it is written. */
export function noteWhole(hash: string): void {
  const now = writtenAs(hash)
  if (now !== undefined) foundWhole.set(hash, now)
}

const changedOnDisk =
  'The stored file has changed on the disk since it was brought in, and was put aside. Bring the same file in again'

/** Holds a stored file against its name, where that was not done. One that is damaged is put aside; rejects with DamagedError. */
export async function checkStored(hash: string): Promise<void> {
  if (isFoundWhole(hash)) return
  if ((await hashFile(storedPath(hash))) !== hash) {
    await putAside(hash)
    throw new DamagedError(changedOnDisk)
  }
  noteWhole(hash)
}

/**
 * Reads a stored file. The first time, its contents are held against its name; one that is damaged is put aside.
 * Throws DamagedError.
 */
export async function readStored(hash: string): Promise<Uint8Array<ArrayBuffer>> {
  const path = storedPath(hash)
  if (!(await exists(path)))
    throw new DamagedError(
      (await exists(damagedPath(hash)))
        ? 'The stored file was found damaged and put aside. Bring the same file in again'
        : 'The stored file is missing. Bring the same file in again',
    )
  const bytes = await readWhole(path)
  if (isFoundWhole(hash)) return bytes
  if (createHash('sha256').update(bytes).digest('hex') !== hash) {
    await putAside(hash)
    throw new DamagedError(changedOnDisk)
  }
  noteWhole(hash)
  return bytes
}

import { createHash } from 'node:crypto'
import { createReadStream } from 'node:fs'
import { copyFile, mkdir, readFile, rename, rm, stat, writeFile } from 'node:fs/promises'
import { dirname, join } from 'node:path'
import { pipeline } from 'node:stream/promises'
import { folders } from '../home.ts'

const isHash = (text: string) => /^[0-9a-f]{64}$/.test(text)

/** Where the bytes with a content hash lie. Throws for what is not a hash, so that no path can be smuggled in. */
export function storedPath(hash: string): string {
  if (!isHash(hash)) throw new Error(`Internal mistake: ${hash} is not a content hash`)
  return join(folders.store, hash.slice(0, 2), hash)
}

/** Where a pass of a stored file lies once it is decoded. Names of passes may hold anything, so they are hashed. */
export function passPath(hash: string, pass: string): string {
  return join(
    folders.derived,
    dirname(storedPath(hash)).slice(-2),
    hash,
    `${createHash('sha256').update(pass).digest('hex').slice(0, 24)}.pass`,
  )
}

async function exists(path: string): Promise<boolean> {
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

/** Copies a file into the store under its content hash; the same content is stored once. */
export async function storeFile(path: string): Promise<string> {
  const hash = await hashFile(path)
  const target = storedPath(hash)
  if (await exists(target)) return hash
  await mkdir(dirname(target), { recursive: true })
  await throughPart(target, (part) => copyFile(path, part))
  return hash
}

export async function readStored(hash: string): Promise<Uint8Array<ArrayBuffer>> {
  return new Uint8Array(await readFile(storedPath(hash)))
}

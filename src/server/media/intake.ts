import { readFile, stat } from 'node:fs/promises'
import { basename, dirname, join } from 'node:path'
import type { Pool } from 'mysql2/promise'
import { frameNumber, mediaName, splitPassName } from '../../core/comp/file-names.ts'
import type { Pass } from '../../core/comp/media.ts'
import { parseManifest } from '../../core/formats/cryptomatte.ts'
import {
  findMediaNamed,
  freshMediaRef,
  insertFrame,
  insertMedia,
  insertPasses,
  noteRefused,
  saveManifest,
} from '../db/media.ts'
import { inTransaction, isUnstorable, type Db } from '../db/pool.ts'
import { lockShot } from '../db/shots.ts'
import { DecodeError, decodePool } from './decode-pool.ts'
import type { MediaInfo } from './media-file.ts'
import { storeFile } from './store.ts'

/** A file that can not be brought in, and why, in words for the person who brought it. */
export class IntakeError extends Error {
  override name = 'IntakeError'
  constructor(
    readonly fileName: string,
    readonly reason: string,
  ) {
    super(`${fileName}: ${reason}`)
  }
}

/** Whether a file may be a picture, by its ending. */
export function isPictureName(name: string): boolean {
  return /\.(exr|png|tiff?|jpe?g|webp|hdr)$/i.test(name)
}

/** Whether a file that holds these passes may be a frame of media that holds those. */
const samePasses = (a: readonly Pass[], b: readonly Pass[]) =>
  a.length === b.length && a.every((pass, i) => (pass.inFile ?? pass.name) === (b[i]!.inFile ?? b[i]!.name))

/** Where a file belongs: media that it is a frame of, and the pass it is named for. */
interface Place {
  readonly name: string
  readonly beside?: string
}

/** 'cave_depth' belongs to cave, when it surely names a pass or cave is there; else it stands for itself. */
async function placeOf(db: Db, shotId: string, name: string): Promise<Place> {
  const split = splitPassName(name)
  if (!split) return { name }
  const isThere = split.isSure || (await findMediaNamed(db, shotId, split.base)).length > 0
  // What came in under its own name goes on under it.
  const isAlone = (await findMediaNamed(db, shotId, name)).length > 0
  return isThere && !isAlone ? { name: split.base, beside: split.pass } : { name }
}

/** The ref of the media that a looked-through file joins, which is made where there is none. */
async function joinMedia(
  db: Db,
  shotId: string,
  place: Place,
  info: MediaInfo,
  isNumbered: boolean,
): Promise<string> {
  const known = isNumbered || place.beside !== undefined ? await findMediaNamed(db, shotId, place.name) : []
  const passes = info.passes.map((pass) =>
    place.beside === undefined ? pass : { ...pass, beside: place.beside },
  )
  for (const media of known) {
    const own = media.passes.filter((p) => p.beside === place.beside)
    if (samePasses(own, passes)) return media.ref
    const isTaken = passes.some((p) => media.passes.some((m) => m.name === p.name))
    const fits = media.width === info.width && media.height === info.height
    const mayJoin = place.beside !== undefined || media.passes.every((p) => p.beside !== undefined)
    if (own.length > 0 || isTaken || !fits || !mayJoin) continue
    await insertPasses(db, shotId, media.ref, passes)
    return media.ref
  }
  const ref = await freshMediaRef(db, shotId)
  await insertMedia(db, shotId, ref, place.name, passes, info)
  return ref
}

export interface BroughtIn {
  /** The ref that comps use; undefined for a file that is no picture but belongs to one. */
  readonly ref?: string
  readonly info?: MediaInfo
}

/** Longer lists of names fit into no table. */
const mostManifestBytes = 16e6

/** Takes a list of object names that lies beside the pictures. */
async function bringManifest(pool: Pool, shotId: string, path: string, fileName: string): Promise<void> {
  const { size } = await stat(path)
  const text = size < mostManifestBytes ? await readFile(path, 'utf8') : ''
  if (!parseManifest(text))
    throw new IntakeError(fileName, 'it is no list of objects (JSON with a hexadecimal ID by name)')
  await storing(fileName, () =>
    inTransaction(pool, async (db) => {
      await needShot(db, shotId)
      await saveManifest(db, shotId, basename(fileName), text)
    }),
  )
}

async function needShot(db: Db, shotId: string): Promise<void> {
  if (!(await lockShot(db, shotId))) throw new NoSuchShot()
}

/** The shot that something is brought into is not there (any more). */
export class NoSuchShot extends Error {
  override name = 'NoSuchShot'
  constructor() {
    super('There is no such shot. It may have been deleted.')
  }
}

/** Notes something of a file; what a table can not hold is the file's fault, and told as such. */
async function storing<T>(fileName: string, work: () => Promise<T>): Promise<T> {
  try {
    return await work()
  } catch (error) {
    if (!isUnstorable(error)) throw error
    const reason =
      error.errno === 1062
        ? 'it names two passes alike'
        : error.errno === 1406
          ? 'a name in it is longer than can be kept; shorten it'
          : `something of it can not be kept (${error.sqlMessage ?? error.message})`
    throw new IntakeError(fileName, reason)
  }
}

/** The longest name that is kept. */
const longestName = 200

/** A file that has been looked through and lies in the store; nothing of it is in a shot yet. */
export interface TakenFile {
  readonly hash: string
  readonly bytes: number
  readonly info: MediaInfo
}

/** Stores a file and looks through it. Rejects with IntakeError for what can not be read, as told by `refuse`. */
async function take(path: string, fileName: string, passName: string | undefined): Promise<TakenFile> {
  if (fileName.length > longestName)
    throw new IntakeError(fileName, `its name is longer than ${longestName} characters; shorten it`)
  if (!fileName.isWellFormed() || fileName.includes('\0'))
    throw new IntakeError(fileName, 'its name holds half a character; rename it')
  const { size } = await stat(path)
  const hash = await storeFile(path)
  try {
    return {
      hash,
      bytes: size,
      info: await decodePool().take(hash, passName === undefined ? {} : { passName }),
    }
  } catch (error) {
    if (!(error instanceof DecodeError)) throw error
    if (error.isFull) throw Object.assign(new Error(error.message), { code: 'ENOSPC' })
    throw new IntakeError(fileName, error.message)
  }
}

/** Notes a frame of a taken file with the media that it belongs to. Gives back their ref. */
async function addFrame(
  db: Db,
  shotId: string,
  { hash, bytes, info }: TakenFile,
  { fileName, place, modifiedMs }: { fileName: string; place: Place; modifiedMs?: number | undefined },
): Promise<string> {
  const number = frameNumber(fileName)
  const ref = await joinMedia(db, shotId, place, info, number !== undefined)
  const { width, height, warnings } = info
  await insertFrame(db, shotId, ref, {
    frame: number ?? 1,
    fileHash: hash,
    fileName,
    bytes,
    width,
    height,
    warnings,
    ...(place.beside === undefined ? {} : { beside: place.beside }),
    ...(modifiedMs === undefined ? {} : { modifiedMs: Math.round(modifiedMs) }),
  })
  return ref
}

/**
 * Makes a shot from one picture: what `finish` adds to it stands with it or not at all. Rejects with IntakeError for what can not be read,
 * or is no picture.
 */
export async function beginShot(
  pool: Pool,
  file: { path: string; fileName: string; modifiedMs?: number | undefined; isInPlace?: boolean },
  begin: (db: Db, name: string) => Promise<string>,
  finish: (db: Db, shotId: string, ref: string, info: MediaInfo) => Promise<void>,
): Promise<string> {
  const { path, fileName } = file
  const own = mediaName(fileName)
  const split = splitPassName(own)
  const place: Place = split?.isSure ? { name: split.base, beside: split.pass } : { name: own }
  const taken = await take(path, fileName, place.beside)
  if (taken.info.format === 'cube' || taken.info.format === 'clf')
    throw new IntakeError(fileName, 'it is a colour table. Begin with a picture')
  const id = await storing(fileName, () =>
    inTransaction(pool, async (db) => {
      const shotId = await begin(db, split?.base ?? own)
      const ref = await addFrame(db, shotId, taken, { fileName, place, modifiedMs: file.modifiedMs })
      await finish(db, shotId, ref, taken.info)
      return shotId
    }),
  )
  if (file.isInPlace) await takeManifestsBeside(pool, id, path, taken.info)
  return id
}

/**
 * Brings a file into a shot. A numbered file joins the media of the same name when it holds the same passes, in place of
 * a frame that was there; a file named for a pass ('cave_depth.0001.exr') joins the media beside it; anything else becomes
 * media of its own. What can not be read is noted with the shot, so that its frame is known as broken.
 */
export async function bringIn(
  pool: Pool,
  shotId: string,
  path: string,
  fileName: string,
  { modifiedMs, isInPlace = false }: { modifiedMs?: number | undefined; isInPlace?: boolean } = {},
): Promise<BroughtIn> {
  if (/\.json$/i.test(fileName)) {
    await bringManifest(pool, shotId, path, fileName)
    return {}
  }
  const place = await placeOf(pool, shotId, mediaName(fileName))
  let taken: TakenFile
  try {
    taken = await take(path, fileName, place.beside)
  } catch (error) {
    if (error instanceof IntakeError) await refuse(pool, shotId, fileName, place.name, error)
    throw error
  }
  if (isInPlace) await takeManifestsBeside(pool, shotId, path, taken.info)
  try {
    const ref = await storing(fileName, () =>
      inTransaction(pool, async (db) => {
        // One file of a shot at a time, so that two frames that arrive together become one sequence.
        await needShot(db, shotId)
        return addFrame(db, shotId, taken, { fileName, place, modifiedMs })
      }),
    )
    return { ref, info: taken.info }
  } catch (error) {
    if (error instanceof IntakeError) await refuse(pool, shotId, fileName, place.name, error)
    throw error
  }
}

/** Notes with the shot that a file could not be taken; what can not even be noted is told all the same. */
async function refuse(
  pool: Pool,
  shotId: string,
  fileName: string,
  name: string,
  { reason }: IntakeError,
): Promise<void> {
  try {
    await inTransaction(pool, async (db) => {
      await needShot(db, shotId)
      await noteRefused(db, shotId, { fileName, mediaName: name, frame: frameNumber(fileName), reason })
    })
  } catch (error) {
    if (!isUnstorable(error)) throw error
  }
}

/** Lists of object names that a picture's header points to, where they lie beside it. */
async function takeManifestsBeside(pool: Pool, shotId: string, path: string, info: MediaInfo): Promise<void> {
  for (const name of info.manifestFiles) {
    // Only beside the picture: a header may not lead anywhere else.
    const beside = join(dirname(path), basename(name))
    const info = await stat(beside).catch(() => undefined)
    if (!info?.isFile() || info.size > mostManifestBytes) continue
    const text = await readFile(beside, 'utf8').catch(() => undefined)
    if (text === undefined || !parseManifest(text)) continue
    await storing(name, () =>
      inTransaction(pool, async (db) => {
        await needShot(db, shotId)
        await saveManifest(db, shotId, basename(name), text)
      }),
    )
  }
}

import { readFile, stat } from 'node:fs/promises'
import { basename, dirname, join } from 'node:path'
import type { Pool } from 'mysql2/promise'
import { splitPassName, type Pass } from '../../core/comp/media.ts'
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
import { inTransaction, type Db } from '../db/pool.ts'
import { lockShot } from '../db/shots.ts'
import { DecodeError, decodePool } from './decode-pool.ts'
import type { MediaInfo } from './media-file.ts'
import { storeFile } from './store.ts'

/** A file that can not be brought in, and why, in words for the person who brought it. */
export class IntakeError extends Error {
  override name = 'IntakeError'
  constructor(
    readonly fileName: string,
    reason: string,
  ) {
    super(`${fileName}: ${reason}`)
  }
}

/**
 * Frame number in a file name: the last digits before the ending, after a dot, a line or an underscore
 * ('grotto.0001.exr' → 1, 'grotto-12.png' → 12, 'grotto.-003.exr' → −3).
 */
export function frameNumber(fileName: string): number | undefined {
  const found = /(?:[._](-?\d+)|-(\d+))\.[^.]+$/.exec(fileName)
  const digits = found?.[1] ?? found?.[2]
  return digits === undefined ? undefined : Number(digits)
}

/** The name without frame number and ending: files that share it are frames of one sequence. */
export function mediaName(fileName: string): string {
  return fileName.replace(/(?:[._]-?\d+|-\d+)?\.[^.]+$/, '') || fileName
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

/** Takes a list of object names that lies beside the pictures. */
async function bringManifest(pool: Pool, shotId: string, path: string, fileName: string): Promise<void> {
  const { size } = await stat(path)
  const text = size < 64e6 ? await readFile(path, 'utf8') : ''
  if (!parseManifest(text))
    throw new IntakeError(fileName, 'it is no list of objects (JSON with a hexadecimal ID by name)')
  await saveManifest(pool, shotId, basename(fileName), text)
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
  const number = frameNumber(fileName)
  const before = await placeOf(pool, shotId, mediaName(fileName))
  const { size } = await stat(path)
  const hash = await storeFile(path)
  const refuse = async (reason: string): Promise<never> => {
    await noteRefused(pool, shotId, { fileName, mediaName: before.name, frame: number, reason })
    throw new IntakeError(fileName, reason)
  }
  let info: MediaInfo
  try {
    info = await decodePool().take(hash, before.beside === undefined ? {} : { passName: before.beside })
  } catch (error) {
    if (!(error instanceof DecodeError)) throw error
    if (error.isFull) throw Object.assign(new Error(error.message), { code: 'ENOSPC' })
    return refuse(error.message)
  }
  if (isInPlace) await takeManifestsBeside(pool, shotId, path, info)
  const ref = await inTransaction(pool, async (db) => {
    // One file of a shot at a time, so that two frames that arrive together become one sequence.
    await lockShot(db, shotId)
    const joined = await joinMedia(db, shotId, before, info, number !== undefined)
    const { width, height, warnings } = info
    await insertFrame(db, shotId, joined, {
      frame: number ?? 1,
      fileHash: hash,
      fileName,
      bytes: size,
      width,
      height,
      warnings,
      ...(before.beside === undefined ? {} : { beside: before.beside }),
      ...(modifiedMs === undefined ? {} : { modifiedMs: Math.round(modifiedMs) }),
    })
    return joined
  })
  return { ref, info }
}

/** Lists of object names that a picture's header points to, where they lie beside it. */
async function takeManifestsBeside(pool: Pool, shotId: string, path: string, info: MediaInfo): Promise<void> {
  for (const name of info.manifestFiles) {
    // Only beside the picture: a header may not lead anywhere else.
    const beside = join(dirname(path), basename(name))
    const text = await readFile(beside, 'utf8').catch(() => undefined)
    if (text !== undefined && parseManifest(text)) await saveManifest(pool, shotId, basename(name), text)
  }
}

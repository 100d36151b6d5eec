import { constants } from 'node:fs'
import { access, copyFile, mkdir, readdir, rename, rm, stat } from 'node:fs/promises'
import { isAbsolute, join, relative, resolve } from 'node:path'
import { isThumbnail } from '../../core/renders/thumbnail.ts'
import type { Delivery } from '../../core/renders/render-options.ts'
import type { OutputSpace } from '../../core/colour/spaces.ts'
import { fileName, type OutputFormat } from '../../core/formats/write-picture.ts'
import { filledName, versionedName } from '../../core/renders/file-name.ts'
import { deliveryOf, noteDelivered } from '../db/farm.ts'
import { withDb } from '../db/pool.ts'
import { findRender } from '../db/renders.ts'
import { folders, outputRoots } from '../home.ts'
import { partName, syncFile, syncFolder } from '../whole-file.ts'

// Files of a render that are put into a folder outside of the data folder, below one that the start command allows.

/** What is wrong with a place for files, in words. */
export class DeliveryError extends Error {
  override name = 'DeliveryError'
}

const why = (error: unknown): string => {
  const code = error instanceof Error && 'code' in error ? error.code : undefined
  switch (code) {
    case 'ENOSPC':
    case 'EDQUOT':
      return 'the disk there is full'
    case 'EROFS':
      return 'it can only be read'
    case 'EACCES':
    case 'EPERM':
      return 'this server may not write there'
    case 'ENOENT':
      return 'it is gone'
    case 'ENOTDIR':
      return 'a file is in the way'
    default:
      return error instanceof Error ? error.message : String(error)
  }
}

/** The folder for files of a render. Throws DeliveryError where it is not below a root that is allowed. */
export function placeOf({ root, folder }: Delivery): string {
  if (!outputRoots.includes(root))
    throw new DeliveryError(
      outputRoots.length === 0
        ? 'No folders for files are open on this server. It is started with --output-root FOLDER for that.'
        : `${root} is not open for files. Open are: ${outputRoots.join(', ')}.`,
    )
  const place = resolve(root, folder)
  const inside = relative(root, place)
  if (inside.startsWith('..') || isAbsolute(inside))
    throw new DeliveryError(`${folder} leads out of ${root}.`)
  return place
}

/** Makes sure that files can be put there. Throws DeliveryError. */
export async function checkPlace(delivery: Delivery): Promise<string> {
  const place = placeOf(delivery)
  try {
    // A root that is gone is not made: it may be a disk that is away.
    await stat(delivery.root)
    await mkdir(place, { recursive: true })
    await access(place, constants.W_OK)
  } catch (error) {
    throw new DeliveryError(`Files can not be put into ${place}: ${why(error)}.`)
  }
  return place
}

/** What files of frames are to be called. */
export interface Named {
  readonly pattern: string
  readonly shot: string
  readonly frames: readonly number[]
  readonly formats: readonly OutputFormat[]
  readonly space?: OutputSpace | undefined
}

/**
 * What becomes of names and frames where files may be there already: with `skip`, frames whose files are all there are left out; with `version`, the
 * pattern takes the next version of which nothing is there. Throws DeliveryError where nothing can be put there.
 */
export async function besideWhatIsThere(
  delivery: Delivery,
  { pattern, shot, frames, formats, space }: Named,
  version: number,
): Promise<{ readonly pattern: string; readonly frames: readonly number[] }> {
  const there = new Set(await readdir(await checkPlace(delivery)))
  const filesOf = (name: string, frame: number, v: number) => {
    const base = filledName(name, { shot, frame, version: v, space })
    return formats.map((format) => fileName(base, format))
  }
  if (delivery.there === 'skip')
    return { pattern, frames: frames.filter((f) => !filesOf(pattern, f, version).every((n) => there.has(n))) }
  if (delivery.there === 'replace') return { pattern, frames }
  // Patterns that name the version of the render have another with each anyhow.
  for (let n = 1; ; n++) {
    const next = versionedName(pattern, n)
    if (!frames.some((f) => filesOf(next, f, version).some((name) => there.has(name))))
      return { pattern: next, frames }
  }
}

/** Puts files into the place, each whole or not at all. Throws DeliveryError; what is in the folder of the render stays there. */
export async function deliver(delivery: Delivery, from: string, files: readonly string[]): Promise<void> {
  const place = await checkPlace(delivery)
  for (const name of files) {
    if (isThumbnail(name)) continue
    const to = join(place, name)
    if (delivery.there === 'skip' && (await stat(to).catch(() => undefined))) continue
    const part = partName(to)
    try {
      await copyFile(join(from, name), part)
      await syncFile(part)
      await rename(part, to)
    } catch (error) {
      await rm(part, { force: true }).catch(() => undefined)
      throw new DeliveryError(`${name} could not be put into ${place}: ${why(error)}.`)
    }
  }
  await syncFolder(place).catch(() => undefined)
}

/** The same; what kept files from their place in words, null where nothing did. */
export async function undelivered(
  delivery: Delivery,
  from: string,
  files: readonly string[],
): Promise<string | null> {
  try {
    await deliver(delivery, from, files)
    return null
  } catch (error) {
    if (error instanceof DeliveryError)
      return `${error.message} They are kept with the render; “Put its files there again” brings them when that is mended.`
    throw error
  }
}

/** Puts all files of a render into its place again; false when there is no such render, or it has no place. */
export async function deliverAgain(renderId: string): Promise<boolean> {
  const [render, wanted] = await withDb(
    async (db) => [await findRender(db, renderId), await deliveryOf(db, renderId)] as const,
  )
  if (!render || !wanted) return false
  const from = join(/*turbopackIgnore: true*/ folders.renders, renderId)
  for (const { frame, state, files } of render.frames)
    if (state === 'done') {
      const problem = await undelivered(wanted, from, files)
      await withDb((db) => noteDelivered(db, renderId, frame, problem))
    }
  return true
}

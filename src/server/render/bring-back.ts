import { stat } from 'node:fs/promises'
import type { Pool } from 'mysql2/promise'
import type { Media, MediaTable } from '../../core/comp/media.ts'
import { linksOf, mapLinks } from '../../core/comp/references.ts'
import { parseComp, type Comp } from '../../core/comp/schema.ts'
import { cutName } from '../../core/comp/cut-name.ts'
import { RequestError } from '../answer.ts'
import {
  findFile,
  freshMediaRef,
  insertFrame,
  insertMedia,
  readMedia,
  setReading,
  type FrameRow,
} from '../db/media.ts'
import { inTransaction, type Db } from '../db/pool.ts'
import { findMade, findRender, isOfOtherBuild } from '../db/renders.ts'
import { lockShot } from '../db/shots.ts'
import { DecodeError, decodePool } from '../media/decode-pool.ts'
import { storedPath } from '../media/store.ts'

const sorted = <T>(of: Readonly<Record<string, T>>) => Object.entries(of).sort(([a], [b]) => (a < b ? -1 : 1))

/** What of media decides over pixels, as text to compare. */
const gist = ({ frames, beside = {}, passes, encoding, alpha, reading = {}, gaps = 'hold' }: Media) =>
  JSON.stringify([
    Object.entries(frames),
    sorted(beside).map(([pass, of]) => [pass, Object.entries(of)]),
    passes.map(({ name, kind, channels, type, detail = {}, beside: of, inFile }) => [
      name,
      kind,
      channels,
      type,
      sorted(detail),
      of,
      inFile,
    ]),
    encoding ?? 'linear',
    alpha ?? 'premultiplied',
    sorted(reading),
    gaps,
  ])

/** Files of media: of which frame, and of which pass beside. */
const filesOf = ({ frames, beside = {} }: Media) =>
  [['', frames] as const, ...Object.entries(beside)].flatMap(([pass, of]) =>
    Object.entries(of).map(([frame, hash]) => ({ beside: pass, frame: Number(frame), hash })),
  )

type Facts = Omit<FrameRow, 'frame' | 'fileHash' | 'beside'>

/** Name, size and noted warnings of stored files by hash; those that are there no more are left out. */
async function factsOf(pool: Pool, media: readonly Media[]): Promise<Map<string, Facts>> {
  const facts = new Map<string, Facts>()
  for (const { hash, beside } of media.flatMap(filesOf)) {
    const known = await findFile(pool, hash)
    const bytes = await stat(storedPath(hash)).then(
      ({ size }) => size,
      () => undefined,
    )
    if (bytes === undefined || facts.has(hash)) continue
    try {
      const { width, height, warnings } =
        known ?? (await decodePool().take(hash, beside === '' ? {} : { passName: beside }))
      facts.set(hash, {
        fileName: known?.fileName ?? `${hash.slice(0, 12)}, of a render`,
        bytes,
        width,
        height,
        warnings,
      })
    } catch (error) {
      if (!(error instanceof DecodeError)) throw error
    }
  }
  return facts
}

/** Notes media as they were, under a ref of their own. */
async function insertAsItWas(
  db: Db,
  shotId: string,
  ref: string,
  name: string,
  was: Media,
  facts: ReadonlyMap<string, Facts>,
): Promise<void> {
  await insertMedia(db, shotId, ref, name, was.passes, was)
  await setReading(db, shotId, ref, { reading: was.reading, gaps: was.gaps })
  for (const { beside, frame, hash } of filesOf(was)) {
    const own = facts.get(hash)
    if (own) await insertFrame(db, shotId, ref, { ...own, beside, frame, fileHash: hash })
  }
}

export interface BroughtBack {
  readonly comp: Comp
  readonly media: MediaTable
  /** Names of media that were brought back beside what they are now. */
  readonly beside: readonly string[]
  /** Files of then that are there no more. */
  readonly lost: number
  /** Frames of the render were made by another build of the application, so that pixels may differ a little. */
  readonly isOtherBuild: boolean
}

/**
 * The shot as a render had it: its comp, and its media. Media that have become others since stand beside what they are now, under a name of their own, and
 * the comp takes from those: nothing that is there is changed. Throws RequestError where there is no such render.
 */
export async function bringBack(pool: Pool, renderId: string): Promise<BroughtBack> {
  const made = await findMade(pool, renderId)
  if (!made) throw new RequestError(404, 'There is no such render.')
  const { shotId } = made
  const comp = parseComp(made.doc)
  const render = await findRender(pool, renderId)
  const used = [...new Set(linksOf(comp).flatMap(({ link }) => (link.type === 'pass' ? [link.media] : [])))]
  const others = ({ table }: { readonly table: MediaTable }) =>
    used.filter((ref) => made.media[ref] && !(table[ref] && gist(table[ref]) === gist(made.media[ref])))
  const isOtherBuild = await isOfOtherBuild(pool, renderId)
  const facts = await factsOf(
    pool,
    others(await readMedia(pool, shotId)).map((ref) => made.media[ref]!),
  )
  return inTransaction(pool, async (db) => {
    if (!(await lockShot(db, shotId)))
      throw new RequestError(404, 'There is no such shot. It may have been deleted.')
    const { table } = await readMedia(db, shotId)
    const refs = new Map<string, string>()
    let lost = 0
    for (const ref of others({ table })) {
      const was = made.media[ref]!
      lost += filesOf(was).filter(({ hash }) => !facts.has(hash)).length
      // What an earlier opening brought back is taken again.
      const same = Object.keys(table).find((r) => gist(table[r]!) === gist(was))
      const to = same ?? (await freshMediaRef(db, shotId))
      refs.set(ref, to)
      if (!same)
        await insertAsItWas(
          db,
          shotId,
          to,
          `${cutName(was.name)} · render ${render?.version ?? ''}`.trim(),
          was,
          facts,
        )
    }
    const { table: now } = await readMedia(db, shotId)
    return {
      comp: mapLinks(comp, (link) =>
        link.type === 'pass' && refs.has(link.media) ? { ...link, media: refs.get(link.media)! } : link,
      ),
      media: now,
      beside: [...refs.values()].map((ref) => now[ref]!.name),
      lost,
      isOtherBuild,
    }
  })
}

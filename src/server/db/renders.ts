import type { Pool, RowDataPacket } from 'mysql2/promise'
import type { MediaTable } from '../../core/comp/media.ts'
import type { Comp } from '../../core/comp/schema.ts'
import * as v from 'valibot'
import type { OutputFormat } from '../../core/formats/write-picture.ts'
import { usualRate } from '../../core/time.ts'
import { isThumbnail } from '../../core/renders/thumbnail.ts'
import { renderOptions, type RenderOptions } from '../../core/renders/render-options.ts'
import { markOrder } from './order.ts'
import { inTransaction, type Db } from './pool.ts'

export type FrameState = 'waiting' | 'working' | 'done' | 'failed' | 'cancelled'

export interface RenderFrame {
  readonly frame: number
  readonly state: FrameState
  /** 0–1. */
  readonly progress: number
  readonly problem: string | null
  /** Names of the written files. */
  readonly files: readonly string[]
  /** Its small picture. */
  readonly small: string | null
  readonly finishedAt: Date | null
}

export interface Render {
  readonly id: string
  readonly shotId: string
  readonly createdAt: Date
  readonly formats: readonly OutputFormat[]
  readonly options: RenderOptions
  /** Which render of its shot it is, from 1. */
  readonly version: number
  /** It rests until it is let go on. */
  readonly paused: boolean
  /** Frames of its shot are added as they come. */
  readonly follows: boolean
  readonly frames: readonly RenderFrame[]
}

export interface NewRender {
  readonly id: string
  readonly shotId: string
  readonly revision: number
  readonly comp: Comp
  readonly media: MediaTable
  readonly formats: readonly OutputFormat[]
  readonly options: RenderOptions
  readonly frames: readonly number[]
  /** Further frames are added as they come. */
  readonly follows?: boolean
}

/** Options as they are kept; of renders from before there were any, none. */
export const optionsOf = (kept: unknown): RenderOptions => v.parse(v.nullish(renderOptions, {}), kept)
/** Options that make one picture and one file of it. */
const likeness = ({ size = 1, layers = {}, compression = 'zip', space = 'rec709', deliver }: RenderOptions) =>
  JSON.stringify([size, layers, compression, space, deliver?.root, deliver?.folder])
/** Rows in one statement. */
const mostRows = 2000

export async function insertRender(pool: Pool, render: NewRender): Promise<void> {
  await inTransaction(pool, async (db) => {
    await db.execute(
      `insert into renders (id, shot_id, revision, doc, media, formats, options, follows, version, place)
       select ?, ?, ?, ?, ?, ?, ?, ?, coalesce(max(if(shot_id = ?, version, 0)), 0) + 1, coalesce(max(place), 0) + 1 from renders`,
      [
        render.id,
        render.shotId,
        render.revision,
        JSON.stringify(render.comp),
        JSON.stringify(render.media),
        JSON.stringify(render.formats),
        JSON.stringify(render.options),
        render.follows ?? false,
        render.shotId,
      ],
    )
    for (let i = 0; i < render.frames.length; i += mostRows)
      await db.query('insert into render_frames (render_id, frame) values ?', [
        render.frames.slice(i, i + mostRows).map((frame) => [render.id, frame]),
      ])
  })
}

type RenderRow = RowDataPacket & {
  id: string
  shotId: string
  createdAt: Date
  formats: OutputFormat[]
  options: unknown
  version: number
  paused: number
  follows: number
}
type FrameRow = RowDataPacket & Omit<RenderFrame, 'files' | 'small'> & { files: string[] | null }

export async function findRender(db: Db, id: string): Promise<Render | undefined> {
  const [rows] = await db.execute<RenderRow[]>(
    'select id, shot_id as shotId, created_at as createdAt, formats, options, version, paused, follows from renders where id = ?',
    [id],
  )
  const row = rows[0]
  if (!row) return undefined
  const [frames] = await db.execute<FrameRow[]>(
    "select frame, state, progress, nullif(concat_ws(' ', problem, undelivered), '') as problem, files, finished_at as finishedAt from render_frames where render_id = ? order by frame",
    [id],
  )
  const { shotId, createdAt, formats, version } = row
  return {
    id,
    shotId,
    createdAt,
    formats,
    version,
    paused: row.paused !== 0,
    follows: row.follows !== 0,
    options: optionsOf(row.options),
    frames: frames.map(({ frame, state, progress, problem, files, finishedAt }) => {
      const all = files ?? []
      const small = all.find(isThumbnail) ?? null
      return { frame, state, progress, problem, files: all.filter((f) => f !== small), small, finishedAt }
    }),
  }
}

/** Which render of its shot the next one is. */
export async function nextVersion(db: Db, shotId: string): Promise<number> {
  const [[row]] = await db.execute<(RowDataPacket & { version: number })[]>(
    'select coalesce(max(version), 0) + 1 as version from renders where shot_id = ?',
    [shotId],
  )
  return row!.version
}

/** What a render was made of, as it was kept then; undefined when there is no such render. */
export async function findMade(
  db: Db,
  id: string,
): Promise<{ shotId: string; doc: unknown; media: MediaTable } | undefined> {
  const [rows] = await db.execute<(RowDataPacket & { shotId: string; doc: unknown; media: MediaTable })[]>(
    'select shot_id as shotId, doc, media from renders where id = ?',
    [id],
  )
  const row = rows[0]
  return row && { shotId: row.shotId, doc: row.doc, media: row.media }
}

/** Whether frames of a render were made by another build of the application than the worker seen last. */
export async function isOfOtherBuild(db: Db, id: string): Promise<boolean> {
  const [[row]] = await db.execute<(RowDataPacket & { others: number })[]>(
    `select count(*) as others from render_frames
     where render_id = ? and build <> (select build from workers order by seen_at desc limit 1)`,
    [id],
  )
  return row!.others > 0
}

/** Frames a second of the shot as a render keeps it, and the shot's name. */
export async function shotOfRender(db: Db, id: string): Promise<{ rate: number; shot: string }> {
  const [rows] = await db.execute<(RowDataPacket & { rate: number | string | null; shot: string })[]>(
    "select json_value(r.doc, '$.frames.rate') as rate, s.name as shot from renders r join shots s on s.id = r.shot_id where r.id = ?",
    [id],
  )
  return { rate: Number(rows[0]?.rate ?? usualRate), shot: rows[0]?.shot ?? '' }
}

/** Renders of all shots with the names of these: those that are not through in their order, then the newest. */
export async function allRenders(db: Db, most: number): Promise<{ id: string; shotName: string }[]> {
  const [rows] = await db.query<(RowDataPacket & { id: string; shotName: string })[]>(
    `select r.id, s.name as shotName,
       exists (select * from render_frames f where f.render_id = r.id and f.state in ('waiting', 'working')) as isOpen
     from renders r join shots s on s.id = r.shot_id
     order by isOpen desc, if(isOpen, r.priority, 0) desc, if(isOpen, r.place, 0), r.created_at desc limit ?`,
    [most],
  )
  return rows.map(({ id, shotName }) => ({ id, shotName }))
}

/** Ids of a shot's renders, newest first. */
export async function rendersOfShot(db: Db, shotId: string): Promise<string[]> {
  const [rows] = await db.execute<(RowDataPacket & { id: string })[]>(
    'select id from renders where shot_id = ? order by created_at desc limit 50',
    [shotId],
  )
  return rows.map((r) => r.id)
}

async function isThere(db: Db, id: string): Promise<boolean> {
  const [rows] = await db.execute<RowDataPacket[]>('select id from renders where id = ?', [id])
  return rows.length > 0
}

/** Stops what is not finished; false when there is no such render. */
export async function cancelRender(db: Db, id: string): Promise<boolean> {
  if (!(await isThere(db, id))) return false
  await db.execute(
    `update render_frames set state = 'cancelled' where render_id = ? and state in ('waiting', 'working')`,
    [id],
  )
  await db.execute('update renders set cancelled = true, follows = false where id = ?', [id])
  return true
}

/** Puts failed and cancelled frames back in the queue; false when there is no such render. */
export async function retryRender(db: Db, id: string): Promise<boolean> {
  if (!(await isThere(db, id))) return false
  await db.execute(
    `update render_frames set state = 'waiting', attempts = 0, problem = null, progress = 0
     where render_id = ? and state in ('failed', 'cancelled')`,
    [id],
  )
  return true
}

/**
 * Pictures that a shot's renders have made in these formats and this way, by frame: the newest of each that was done, and the key of its picture.
 */
export async function picturesMade(
  db: Db,
  shotId: string,
  formats: readonly OutputFormat[],
  options: RenderOptions,
): Promise<Map<number, string>> {
  const [rows] = await db.execute<
    (RowDataPacket & {
      frame: number
      pictureKey: string | null
      formats: OutputFormat[]
      options: unknown
    })[]
  >(
    `select f.frame, f.picture_key as pictureKey, r.formats, r.options from render_frames f join renders r on r.id = f.render_id
     where r.shot_id = ? and f.state = 'done' and f.problem is null order by f.finished_at`,
    [shotId],
  )
  const like = likeness(options)
  const made = new Map<number, string>()
  for (const row of rows) {
    if (row.pictureKey === null || likeness(optionsOf(row.options)) !== like) continue
    if (formats.every((f) => row.formats.includes(f))) made.set(row.frame, row.pictureKey)
  }
  return made
}

/** Frames of which a shot's renders have files. */
export async function framesMade(db: Db, shotId: string): Promise<Set<number>> {
  const [rows] = await db.execute<(RowDataPacket & { frame: number })[]>(
    `select distinct f.frame from render_frames f join renders r on r.id = f.render_id where r.shot_id = ? and f.state = 'done'`,
    [shotId],
  )
  return new Set(rows.map((r) => r.frame))
}

/** Takes a render out of the list; what is under way ends by itself. False when there is no such render. */
export async function deleteRender(db: Db, id: string): Promise<boolean> {
  if (!(await isThere(db, id))) return false
  await db.execute('delete from renders where id = ?', [id])
  return true
}

/** Lets a render rest or go on; false when there is no such render. */
export async function pauseRender(db: Db, id: string, isPaused: boolean): Promise<boolean> {
  if (!(await isThere(db, id))) return false
  await db.execute('update renders set paused = ? where id = ?', [isPaused, id])
  await markOrder(db)
  return true
}

/** Among which frames come next: all renders that are not through, in their order. */
async function openOrder(db: Db): Promise<{ id: string; priority: number; place: number }[]> {
  const [rows] = await db.query<(RowDataPacket & { id: string; priority: number; place: number })[]>(
    `select id, priority, place from renders r
     where exists (select * from render_frames f where f.render_id = r.id and f.state in ('waiting', 'working'))
     order by priority desc, place, created_at`,
  )
  return rows.map(({ id, priority, place }) => ({ id, priority, place }))
}

/**
 * Changes which render comes when: a place sooner or later among those of its priority, before all others, or after them. False when there is no such
 * render.
 */
export async function moveRender(
  pool: Pool,
  id: string,
  to: 'sooner' | 'later' | 'first' | 'last' | { readonly before: string },
): Promise<boolean> {
  return inTransaction(pool, async (db) => {
    if (!(await isThere(db, id))) return false
    const others = (await openOrder(db)).filter((r) => r.id !== id)
    const [[own]] = await db.execute<(RowDataPacket & { priority: number; place: number })[]>(
      'select priority, place from renders where id = ?',
      [id],
    )
    const here = { priority: own!.priority, place: own!.place }
    const isBefore = (r: { priority: number; place: number }) =>
      r.priority > here.priority || (r.priority === here.priority && r.place < here.place)
    const count = others.filter(isBefore).length
    const other = typeof to === 'object' ? others.findIndex((r) => r.id === to.before) : -1
    const at =
      typeof to === 'object'
        ? other < 0
          ? count
          : other
        : {
            sooner: Math.max(0, count - 1),
            later: Math.min(others.length, count + 1),
            first: 0,
            last: others.length,
          }[to]
    const [before, after] = [others[at - 1], others[at]]
    // What comes to stand somewhere takes the priority of its neighbour, so that places alone tell the order.
    const priority = (to === 'last' ? before : (after ?? before))?.priority ?? here.priority
    const place =
      before?.priority === priority && after?.priority === priority
        ? (before.place + after.place) / 2
        : after?.priority === priority
          ? after.place - 1
          : (before?.place ?? here.place) + 1
    await db.execute('update renders set priority = ?, place = ? where id = ?', [priority, place, id])
    await markOrder(db)
    return true
  })
}

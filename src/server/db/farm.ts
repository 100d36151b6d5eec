import type { Pool, RowDataPacket } from 'mysql2/promise'
import type { MediaTable } from '../../core/comp/media.ts'
import { parseComp, type Comp } from '../../core/comp/schema.ts'
import type { OutputFormat } from '../../core/formats/write-picture.ts'
import type { Delivery, RenderOptions } from '../../core/renders/render-options.ts'
import { alone, inTransaction, type Db } from './pool.ts'
import type { FrameKey } from '../farm/frame-key.ts'
import { listManifests } from './media.ts'
import { optionsOf } from './renders.ts'

// Who works on which frame. The database is the record; the queue only hands out what it says.

/** A frame that was handed to a worker, this one time. */
export interface Handed {
  readonly renderId: string
  readonly frame: number
  /** What comes with another one does not count. */
  readonly token: string
  /** What its render was made of then. */
  readonly mark: number
}

/** All that is needed to render any frame of a render. */
export interface RenderPlan {
  readonly renderId: string
  readonly shotName: string
  readonly comp: Comp
  readonly media: MediaTable
  readonly formats: readonly OutputFormat[]
  readonly options: RenderOptions
  readonly version: number
  /** Lists of objects that came beside the pictures, where IDs are handed through. */
  readonly manifests?: readonly string[]
}

/** A place at which frames are worked on, as it speaks of itself. */
export interface WorkerState {
  /** Stays the same when its program is started anew. */
  readonly seat: string
  readonly machine: string
  readonly cores: number
  readonly build: string
  /** 0–1: the share of its machine that is busy. */
  readonly busy: number
}

/** A frame that has ended so many workers is given up. */
export const mostLosses = 3
/** Seconds after which a worker that says nothing counts as gone. */
export const silentSeconds = 25

/**
 * The frames that come next, in order: of renders that go on, those that wait and those whose worker has gone silent, the first of the order first.
 */
export async function nextFrames(db: Db, most: number): Promise<FrameKey[]> {
  const [rows] = await db.query<(RowDataPacket & FrameKey)[]>(
    `select f.render_id as renderId, f.frame from render_frames f join renders r on r.id = f.render_id
     where not r.paused and (f.state = 'waiting'
       or (f.state = 'working' and (coalesce(f.seen_at, '2000-01-01') < current_timestamp(3) - interval ${silentSeconds} second
         or f.seen_at > current_timestamp(3) + interval ${silentSeconds} second)))
     order by r.priority desc, r.place, r.created_at, f.frame limit ?`,
    [most],
  )
  return rows.map(({ renderId, frame }) => ({ renderId, frame }))
}

/**
 * Hands a frame to a worker; undefined where it is not to be had: done, cancelled, paused, somebody's. One whose workers were lost too often is
 * given up here.
 */
export async function handFrame(
  pool: Pool,
  { renderId, frame, token }: Omit<Handed, 'mark'>,
  seat: string,
): Promise<Handed | undefined> {
  return inTransaction(pool, async (db) => {
    const [rows] = await db.execute<
      (RowDataPacket & {
        state: string
        attempts: number
        paused: number
        mark: number
        silent: number | null
      })[]
    >(
      `select f.state, f.attempts, r.paused, r.mark, timestampdiff(second, f.seen_at, current_timestamp(3)) as silent
       from render_frames f join renders r on r.id = f.render_id where f.render_id = ? and f.frame = ? for update`,
      [renderId, frame],
    )
    const row = rows[0]
    if (!row || row.paused) return undefined
    // A clock that was set back says of everyone that he spoke in the future. Two heartbeats are enough here, as the queue waits for its own time to pass, too.
    const isFree =
      row.state === 'waiting' ||
      (row.state === 'working' && (row.silent === null || row.silent >= 10 || row.silent <= -10))
    if (!isFree) return undefined
    if (row.attempts >= mostLosses) {
      await db.execute(
        `update render_frames set state = 'failed', token = null, problem = ? where render_id = ? and frame = ?`,
        [
          `The render worker stopped ${mostLosses} times on this frame. Try it again at a smaller size, or with fewer steps.`,
          renderId,
          frame,
        ],
      )
      return undefined
    }
    await db.execute(
      `update render_frames set state = 'working', worker = ?, token = ?, attempts = attempts + 1, progress = 0, problem = null, seen_at = current_timestamp(3)
       where render_id = ? and frame = ?`,
      [seat, token, renderId, frame],
    )
    return { renderId, frame, token, mark: row.mark }
  })
}

/** What a render is made of; undefined when it has been deleted. */
export async function findPlan(db: Db, renderId: string): Promise<RenderPlan | undefined> {
  const [rows] = await db.execute<
    (RowDataPacket &
      Omit<RenderPlan, 'comp' | 'options' | 'renderId'> & {
        shotId: string
        doc: unknown
        options: unknown
      })[]
  >(
    'select s.name as shotName, r.shot_id as shotId, r.doc, r.media, r.formats, r.options, r.version from renders r join shots s on s.id = r.shot_id where r.id = ?',
    [renderId],
  )
  const row = rows[0]
  if (!row) return undefined
  const { shotName, shotId, doc, media, formats, version } = row
  const options = optionsOf(row.options)
  const manifests = options.layers?.passes ? await listManifests(db, shotId) : []
  // It may have waited since before its comp's version was raised.
  const comp = parseComp(doc)
  return {
    renderId,
    shotName,
    comp,
    media,
    formats,
    options,
    version,
    ...(manifests.length > 0 ? { manifests } : {}),
  }
}

/** A frame that was handed out, found by its own row: a search by its token would lock those of others and be in their way. */
type Held = Omit<Handed, 'mark'>
const ofHeld = ({ renderId, frame, token }: Held) => [renderId, frame, token] as const

/** Says that frames are worked on and how far they are; gives back the tokens that still count. */
export async function reportFrames(
  db: Db,
  frames: readonly (Held & { readonly progress: number })[],
): Promise<string[]> {
  if (frames.length === 0) return []
  const [rows] = await db.query<(RowDataPacket & { token: string })[]>(
    `select token from render_frames where state = 'working' and token in (?)`,
    [frames.map((f) => f.token)],
  )
  const ours = rows.map((r) => r.token)
  for (const held of frames)
    if (ours.includes(held.token))
      await alone(() =>
        db.execute(
          `update render_frames set progress = ?, seen_at = current_timestamp(3) where render_id = ? and frame = ? and token = ? and state = 'working'`,
          [held.progress, ...ofHeld(held)],
        ),
      )
  return ours
}

/** Puts a frame back that could not be finished for now, and says why; it is not counted against it. */
export async function postponeFrame(db: Db, held: Held, problem: string | null): Promise<void> {
  await alone(() =>
    db.execute(
      `update render_frames set state = 'waiting', token = null, worker = null, progress = 0, problem = ?, attempts = greatest(attempts - 1, 0)
       where render_id = ? and frame = ? and token = ? and state = 'working'`,
      [problem, ...ofHeld(held)],
    ),
  )
}

/** Gives up a frame that can not be rendered. */
export async function failFrame(db: Db, held: Held, problem: string): Promise<void> {
  await alone(() =>
    db.execute(
      `update render_frames set state = 'failed', token = null, problem = ? where render_id = ? and frame = ? and token = ? and state = 'working'`,
      [problem, ...ofHeld(held)],
    ),
  )
}

export interface FrameResult {
  readonly files: readonly string[]
  /** What is missing in the picture. */
  readonly warnings: readonly string[]
  readonly pictureKey: string
  readonly ms: number
}

/**
 * Takes a finished frame, once: false where the token does not count (any more). `place` puts its files where they belong, while nobody else can
 * change the frame; it may run twice.
 */
export async function finishFrame(
  pool: Pool,
  { renderId, frame, token }: Handed,
  { files, warnings, pictureKey, ms }: FrameResult,
  place: () => Promise<string | null>,
): Promise<boolean> {
  return inTransaction(pool, async (db) => {
    const [rows] = await db.execute<(RowDataPacket & { seat: string })[]>(
      `select worker as seat from render_frames where render_id = ? and frame = ? and state = 'working' and token = ? for update`,
      [renderId, frame, token],
    )
    const row = rows[0]
    if (!row) return false
    const undelivered = await place()
    await db.execute(
      `update render_frames set state = 'done', token = null, progress = 1, files = ?, problem = ?, undelivered = ?, picture_key = ?, ms = ?, build = (select build from workers where seat = ?), finished_at = current_timestamp(3)
       where render_id = ? and frame = ?`,
      [
        JSON.stringify(files),
        warnings.length > 0 ? warnings.join(' ') : null,
        undelivered,
        pictureKey,
        ms,
        row.seat,
        renderId,
        frame,
      ],
    )
    await db.execute(
      `update workers set frames_made = frames_made + 1, pace = coalesce(pace * 0.8 + ? * 0.2, ?) where seat = ?`,
      [ms, ms, row.seat],
    )
    return true
  })
}

/** Notes which frames' files are where the render puts them, and why others are not. */
export async function noteDelivered(
  db: Db,
  renderId: string,
  frame: number,
  problem: string | null,
): Promise<void> {
  await db.execute('update render_frames set undelivered = ? where render_id = ? and frame = ?', [
    problem,
    renderId,
    frame,
  ])
}

/** Where the files of a render are put beside the data folder. */
export async function deliveryOf(db: Db, renderId: string): Promise<Delivery | undefined> {
  const [rows] = await db.execute<(RowDataPacket & { options: unknown })[]>(
    'select options from renders where id = ?',
    [renderId],
  )
  return rows[0] && optionsOf(rows[0].options).deliver
}

/** Tokens of what a seat holds. */
export async function heldBy(db: Db, seat: string): Promise<Handed[]> {
  const [rows] = await db.execute<(RowDataPacket & Handed)[]>(
    `select f.render_id as renderId, f.frame, f.token, r.mark from render_frames f join renders r on r.id = f.render_id
     where f.state = 'working' and f.worker = ?`,
    [seat],
  )
  return rows.map(({ renderId, frame, token, mark }) => ({ renderId, frame, token, mark }))
}

/** Lets what a seat had before it was lost wait again; the loss counts against those frames. */
export async function freeLost(db: Db, seat: string): Promise<void> {
  await db.execute(
    `update render_frames set state = 'waiting', token = null, progress = 0 where state = 'working' and worker = ?`,
    [seat],
  )
}

/** Notes that a worker is there. */
export async function noteWorker(db: Db, { seat, machine, cores, build, busy }: WorkerState): Promise<void> {
  await alone(() =>
    db.execute(
      `insert into workers (seat, machine, cores, build, busy) values (?, ?, ?, ?, ?)
       on duplicate key update machine = value(machine), cores = value(cores), build = value(build), busy = value(busy), seen_at = current_timestamp(3)`,
      [seat, machine, cores, build, busy],
    ),
  )
}

/** How many frames a worker may be given now: 0 where it is paused. */
export async function roomOf(db: Db, seat: string): Promise<number> {
  const [rows] = await db.execute<(RowDataPacket & { paused: number; most: number | null; held: number })[]>(
    `select w.paused, w.most, (select count(*) from render_frames f where f.state = 'working' and f.worker = w.seat) as held
     from workers w where w.seat = ?`,
    [seat],
  )
  const row = rows[0]
  if (!row || row.paused) return 0
  return row.most === null ? Infinity : Math.max(0, row.most - row.held)
}

export interface FarmWorker {
  readonly seat: string
  readonly machine: string
  readonly cores: number
  readonly busy: number
  readonly framesMade: number
  /** Milliseconds a frame; null before the first. */
  readonly paceMs: number | null
  readonly state: 'working' | 'idle' | 'paused' | 'silent'
  readonly most: number | null
  readonly holds: number
}

/** Workers of the last day, those that are there first. */
export async function listWorkers(db: Db): Promise<FarmWorker[]> {
  const [rows] = await db.query<
    (RowDataPacket & {
      seat: string
      machine: string
      cores: number
      busy: number
      framesMade: number
      pace: number | null
      paused: number
      most: number | null
      silent: number
      held: number
    })[]
  >(
    `select w.seat, w.machine, w.cores, w.busy, w.frames_made as framesMade, w.pace, w.paused, w.most,
       timestampdiff(second, w.seen_at, current_timestamp(3)) as silent,
       (select count(*) from render_frames f where f.state = 'working' and f.worker = w.seat) as held
     from workers w where w.seen_at > current_timestamp(3) - interval 1 day order by w.machine, w.seat`,
  )
  return rows.map(({ seat, machine, cores, busy, framesMade, pace, paused, most, silent, held }) => {
    const state = silent > silentSeconds ? 'silent' : paused ? 'paused' : held > 0 ? 'working' : 'idle'
    return { seat, machine, cores, busy, framesMade, paceMs: pace, state, most, holds: held }
  })
}

/** Lets a worker rest or go on, or limits it; false when there is none of that name. */
export async function changeWorker(
  db: Db,
  seat: string,
  change: { readonly paused?: boolean | undefined; readonly most?: number | null | undefined },
): Promise<boolean> {
  const [rows] = await db.execute<RowDataPacket[]>('select seat from workers where seat = ?', [seat])
  if (rows.length === 0) return false
  if (change.paused !== undefined)
    await db.execute('update workers set paused = ? where seat = ?', [change.paused, seat])
  if (change.most !== undefined)
    await db.execute('update workers set most = ? where seat = ?', [change.most, seat])
  return true
}

import type { Pool, RowDataPacket } from 'mysql2/promise'
import type { MediaTable } from '../../core/comp/media.ts'
import { parseComp, type Comp } from '../../core/comp/schema.ts'
import * as v from 'valibot'
import type { OutputFormat } from '../../core/formats/write-picture.ts'
import { usualRate } from '../../core/time.ts'
import { renderOptions, type RenderOptions } from '../../core/renders/render-options.ts'
import { inTransaction, type Db } from './pool.ts'

/** A frame that keeps killing its worker is given up after this many crashes. */
const mostCrashes = 5

/**
 * A worker holds a lock of its name in the database for as long as its connection lasts: when it dies, the lock is gone at once, and
 * no clock has a say in it.
 */
const lockName = (worker: string) => `zafiro-worker-${worker}`
/** Frames that nobody works on although they are taken. */
const isLeft = `f.state = 'working' and is_used_lock(concat('zafiro-worker-', f.worker)) is null`

/** Takes the lock of a worker's name on a connection of its own; false when someone else has it. */
export async function beginWorker(db: Db, worker: string): Promise<boolean> {
  const [[row]] = await db.query<(RowDataPacket & { isOurs: number | null })[]>(
    'select get_lock(?, 0) as isOurs',
    [lockName(worker)],
  )
  return row?.isOurs === 1
}

export type FrameState = 'waiting' | 'working' | 'done' | 'failed' | 'cancelled'

export interface RenderFrame {
  readonly frame: number
  readonly state: FrameState
  /** 0–1. */
  readonly progress: number
  readonly problem: string | null
  /** Names of the written files. */
  readonly files: readonly string[]
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
  readonly frames: readonly RenderFrame[]
}

export interface RenderJob {
  readonly renderId: string
  readonly frame: number
  readonly shotName: string
  readonly comp: Comp
  readonly media: MediaTable
  readonly formats: readonly OutputFormat[]
  readonly options: RenderOptions
  readonly version: number
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
}

/** Options as they are kept; of renders from before there were any, none. */
const optionsOf = (kept: unknown): RenderOptions => v.parse(v.nullish(renderOptions, {}), kept)
/** Rows in one statement. */
const mostRows = 2000

export async function insertRender(pool: Pool, render: NewRender): Promise<void> {
  await inTransaction(pool, async (db) => {
    await db.execute(
      `insert into renders (id, shot_id, revision, doc, media, formats, options, version)
       select ?, ?, ?, ?, ?, ?, ?, coalesce(max(version), 0) + 1 from renders where shot_id = ?`,
      [
        render.id, render.shotId, render.revision, JSON.stringify(render.comp), JSON.stringify(render.media),
        JSON.stringify(render.formats), JSON.stringify(render.options), render.shotId,
      ],
    ) // prettier-ignore
    for (let i = 0; i < render.frames.length; i += mostRows)
      await db.query('insert into render_frames (render_id, frame) values ?', [
        render.frames.slice(i, i + mostRows).map((frame) => [render.id, frame]),
      ])
  })
}

type RenderRow = RowDataPacket & { id: string; shotId: string; createdAt: Date; formats: OutputFormat[]; options: unknown; version: number } // prettier-ignore
type FrameRow = RowDataPacket & Omit<RenderFrame, 'files'> & { files: string[] | null }

export async function findRender(db: Db, id: string): Promise<Render | undefined> {
  const [rows] = await db.execute<RenderRow[]>(
    'select id, shot_id as shotId, created_at as createdAt, formats, options, version from renders where id = ?',
    [id],
  )
  const row = rows[0]
  if (!row) return undefined
  const [frames] = await db.execute<FrameRow[]>(
    'select frame, state, progress, problem, files, finished_at as finishedAt from render_frames where render_id = ? order by frame',
    [id],
  )
  const { shotId, createdAt, formats, version } = row
  return {
    id, shotId, createdAt, formats, version,
    options: optionsOf(row.options),
    frames: frames.map(({ frame, state, progress, problem, files, finishedAt }) => ({ frame, state, progress, problem, files: files ?? [], finishedAt })),
  } // prettier-ignore
}

/** Frames a second of the shot as a render keeps it. */
export async function rateOfRender(db: Db, id: string): Promise<number> {
  const [rows] = await db.execute<(RowDataPacket & { rate: number | string | null })[]>(
    "select json_value(doc, '$.frames.rate') as rate from renders where id = ?",
    [id],
  )
  return Number(rows[0]?.rate ?? usualRate)
}

/** Ids of a shot's renders, newest first. */
export async function rendersOfShot(db: Db, shotId: string): Promise<string[]> {
  const [rows] = await db.execute<(RowDataPacket & { id: string })[]>(
    'select id from renders where shot_id = ? order by created_at desc limit 50',
    [shotId],
  )
  return rows.map((r) => r.id)
}

/** Takes the oldest frame that waits, or whose worker is gone, for a worker. Only crashes count against a frame. */
export async function claimFrame(pool: Pool, worker: string): Promise<RenderJob | undefined> {
  return inTransaction(pool, async (db) => {
    await db.execute(
      `update render_frames f set f.state = 'failed', f.problem = 'The render worker stopped ${mostCrashes} times on this frame. Try it again at a smaller size, or with fewer steps.'
       where ${isLeft} and f.attempts >= ${mostCrashes}`,
    )
    const [found] = await db.execute<(RowDataPacket & { renderId: string; frame: number })[]>(
      `select f.render_id as renderId, f.frame from render_frames f join renders r on r.id = f.render_id
       where f.state = 'waiting' or (${isLeft})
       order by r.created_at, f.frame limit 1 for update skip locked`,
    )
    const job = found[0]
    if (!job) return undefined
    await db.execute(
      `update render_frames set state = 'working', worker = ?, attempts = attempts + 1, progress = 0, problem = null
       where render_id = ? and frame = ?`,
      [worker, job.renderId, job.frame],
    )
    const [rows] = await db.execute<
      (RowDataPacket & {
        shotName: string
        doc: unknown
        media: MediaTable
        formats: OutputFormat[]
        options: unknown
        version: number
      })[]
    >(
      'select s.name as shotName, r.doc, r.media, r.formats, r.options, r.version from renders r join shots s on s.id = r.shot_id where r.id = ?',
      [job.renderId],
    )
    const { shotName, doc, media, formats, options, version } = rows[0]!
    // It may have waited since before its comp's version was raised.
    const { renderId, frame } = job
    return {
      renderId,
      frame,
      shotName,
      comp: parseComp(doc),
      media,
      formats,
      options: optionsOf(options),
      version,
    }
  })
}

/** Says that a worker is alive and how far it is; false when the frame is no longer its own (cancelled, given away). */
export async function reportProgress(
  db: Db,
  job: RenderJob,
  worker: string,
  progress: number,
): Promise<boolean> {
  const [result] = await db.execute(
    `update render_frames set progress = ? where render_id = ? and frame = ? and state = 'working' and worker = ?`,
    [progress, job.renderId, job.frame, worker],
  )
  return 'affectedRows' in result && result.affectedRows > 0
}

/** Puts a frame back that could not be finished for now, and says why; it is not counted against it. */
export async function postponeFrame(db: Db, job: RenderJob, worker: string, problem: string): Promise<void> {
  await db.execute(
    `update render_frames set state = 'waiting', worker = null, progress = 0, problem = ?, attempts = greatest(attempts - 1, 0)
     where render_id = ? and frame = ? and state = 'working' and worker = ?`,
    [problem, job.renderId, job.frame, worker],
  )
}

/** Gives a worker's frames back when it stops in order: they wait again, and nothing is counted against them. */
export async function returnFrames(db: Db, worker: string): Promise<void> {
  await db.execute(
    `update render_frames set state = 'waiting', worker = null, progress = 0, attempts = greatest(attempts - 1, 0)
     where state = 'working' and worker = ?`,
    [worker],
  )
}

/** Notes a finished frame; what was left out of the picture is kept as its problem. */
export async function finishFrame(
  db: Db,
  job: RenderJob,
  worker: string,
  files: readonly string[],
  warnings: readonly string[],
  pictureKey: string,
): Promise<void> {
  await db.execute(
    `update render_frames set state = 'done', progress = 1, files = ?, problem = ?, picture_key = ?, finished_at = current_timestamp(3)
     where render_id = ? and frame = ? and state = 'working' and worker = ?`,
    [
      JSON.stringify(files),
      warnings.length > 0 ? warnings.join(' ') : null,
      pictureKey,
      job.renderId,
      job.frame,
      worker,
    ],
  )
}

export async function failFrame(db: Db, job: RenderJob, worker: string, problem: string): Promise<void> {
  await db.execute(
    `update render_frames set state = 'failed', problem = ? where render_id = ? and frame = ? and state = 'working' and worker = ?`,
    [problem, job.renderId, job.frame, worker],
  )
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
  await db.execute('update renders set cancelled = true where id = ?', [id])
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
  const like = JSON.stringify(options.size ?? 1)
  const made = new Map<number, string>()
  for (const row of rows) {
    if (row.pictureKey === null || JSON.stringify(optionsOf(row.options).size ?? 1) !== like) continue
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

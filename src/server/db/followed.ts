import type { Pool, RowDataPacket } from 'mysql2/promise'
import type { MediaTable } from '../../core/comp/media.ts'
import type { Comp } from '../../core/comp/schema.ts'
import { inTransaction, type Db } from './pool.ts'

/** Renders whose frames are made as they come. */
export async function followedRenders(db: Db): Promise<{ id: string; shotId: string }[]> {
  const [rows] = await db.query<(RowDataPacket & { id: string; shotId: string })[]>(
    'select id, shot_id as shotId from renders where follows and not cancelled',
  )
  return rows.map(({ id, shotId }) => ({ id, shotId }))
}

/** Ends the waiting for further frames, or begins it again; false when there is no such render. */
export async function setFollowing(db: Db, id: string, follows: boolean): Promise<boolean> {
  const [rows] = await db.execute<RowDataPacket[]>('select id from renders where id = ?', [id])
  if (rows.length === 0) return false
  await db.execute('update renders set follows = ?, cancelled = cancelled and not ? where id = ?', [
    follows,
    follows,
    id,
  ])
  return true
}

/**
 * Puts the frames of a shot in line that are new to a render or whose files have become others; gives back how many. From then on the render is of the
 * comp and the media that are given; one that keeps its look, of the media alone.
 */
export async function takeArrived(
  pool: Pool,
  id: string,
  { comp, media, whole }: { comp: Comp; media: MediaTable; whole: ReadonlyMap<number, string> },
): Promise<number> {
  return inTransaction(pool, async (db) => {
    const [there] = await db.execute<RowDataPacket[]>(
      'select id from renders where id = ? and follows and not cancelled for update',
      [id],
    )
    if (there.length === 0) return 0
    const [rows] = await db.execute<(RowDataPacket & { frame: number; source: string | null })[]>(
      'select frame, source from render_frames where render_id = ? for update',
      [id],
    )
    const known = new Map(rows.map(({ frame, source }) => [frame, source]))
    const come = [...whole].filter(([frame, source]) => known.get(frame) !== source)
    if (come.length === 0) return 0
    await db.execute(
      `update renders set doc = if(json_value(options, '$.keepsLook'), doc, ?), media = ?, mark = mark + 1 where id = ?`,
      [JSON.stringify(comp), JSON.stringify(media), id],
    )
    for (const [frame, source] of come)
      await db.execute(
        `insert into render_frames (render_id, frame, source) values (?, ?, ?)
         on duplicate key update source = value(source), state = 'waiting', token = null, attempts = 0, progress = 0, problem = null`,
        [id, frame, source],
      )
    return come.length
  })
}

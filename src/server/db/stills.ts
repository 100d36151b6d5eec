import type { RowDataPacket } from 'mysql2'
import type { Db } from './pool.ts'

export interface Still {
  readonly id: string
  readonly name: string
  readonly frame: number
}

/** Stills of a shot, the newest first. */
export async function listStills(db: Db, shotId: string): Promise<Still[]> {
  const [rows] = await db.execute<(RowDataPacket & Still)[]>(
    'select id, name, frame from stills where shot_id = ? order by created_at desc, id',
    [shotId],
  )
  return rows.map(({ id, name, frame }) => ({ id, name, frame }))
}

export async function insertStill(db: Db, shotId: string, still: Still, png: Uint8Array): Promise<void> {
  await db.execute('insert into stills (shot_id, id, name, frame, png) values (?, ?, ?, ?, ?)', [
    shotId,
    still.id,
    still.name,
    still.frame,
    Buffer.from(png),
  ])
}

export async function readStill(db: Db, shotId: string, id: string): Promise<Uint8Array | undefined> {
  const [rows] = await db.execute<(RowDataPacket & { png: Buffer })[]>(
    'select png from stills where shot_id = ? and id = ?',
    [shotId, id],
  )
  return rows[0]?.png
}

export async function deleteStill(db: Db, shotId: string, id: string): Promise<void> {
  await db.execute('delete from stills where shot_id = ? and id = ?', [shotId, id])
}

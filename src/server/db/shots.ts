import type { ResultSetHeader, RowDataPacket } from 'mysql2'
import { alone, type Db } from './pool.ts'

export interface ShotRow {
  readonly id: string
  readonly name: string
  readonly updatedAt: Date
  readonly hasThumbnail: boolean
}

const columns = 'id, name, updated_at as updatedAt, thumbnail is not null as hasThumbnail'
type Row = RowDataPacket & { id: string; name: string; updatedAt: Date; hasThumbnail: number }
const shape = (row: Row): ShotRow => ({
  id: row.id,
  name: row.name,
  updatedAt: row.updatedAt,
  hasThumbnail: row.hasThumbnail === 1,
})

/** All shots, the last changed first. */
export async function listShots(db: Db): Promise<ShotRow[]> {
  const [rows] = await db.execute<Row[]>(`select ${columns} from shots order by updated_at desc, id`)
  return rows.map(shape)
}

export async function findShot(db: Db, id: string): Promise<ShotRow | undefined> {
  const [rows] = await db.execute<Row[]>(`select ${columns} from shots where id = ?`, [id])
  return rows.map(shape)[0]
}

export async function insertShot(db: Db, id: string, name: string): Promise<void> {
  await db.execute('insert into shots (id, name) values (?, ?)', [id, name])
}

/**
 * Lets others who lock the same shot wait until the transaction ends; false when there is no such shot. Whatever changes a shot or
 * what belongs to it does this first, so that no two can wait for each other.
 */
export async function lockShot(db: Db, id: string): Promise<boolean> {
  const [rows] = await db.execute<RowDataPacket[]>('select id from shots where id = ? for update', [id])
  return rows.length > 0
}

export async function touchShot(db: Db, id: string): Promise<void> {
  await db.execute('update shots set updated_at = current_timestamp(3) where id = ?', [id])
}

/** False when there is no such shot. */
export async function renameShot(db: Db, id: string, name: string): Promise<boolean> {
  const [result] = await alone(() =>
    db.execute<ResultSetHeader>('update shots set name = ?, updated_at = current_timestamp(3) where id = ?', [
      name,
      id,
    ]),
  )
  return result.affectedRows > 0
}

/** False when there is no such shot. */
export async function saveThumbnail(db: Db, id: string, image: Uint8Array): Promise<boolean> {
  const [result] = await alone(() =>
    db.execute<ResultSetHeader>('update shots set thumbnail = ? where id = ?', [Buffer.from(image), id]),
  )
  return result.affectedRows > 0
}

export async function readThumbnail(db: Db, id: string): Promise<Buffer | undefined> {
  const [rows] = await db.execute<(RowDataPacket & { thumbnail: Buffer | null })[]>(
    'select thumbnail from shots where id = ?',
    [id],
  )
  return rows[0]?.thumbnail ?? undefined
}

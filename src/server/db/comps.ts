import type { Pool, RowDataPacket } from 'mysql2/promise'
import type { Comp } from '../../core/comp/schema.ts'
import { inTransaction, type Db } from './pool.ts'
import { lockShot, touchShot } from './shots.ts'

/** Revisions kept of a comp; older ones are dropped. */
const keptRevisions = 500

export interface CompRevision {
  readonly revision: number
  readonly savedAt: Date
}

/** What became of a save: the new revision, who was faster, or that the shot is gone. */
export type SaveResult =
  { readonly saved: number } | { readonly conflict: CompRevision } | { readonly gone: true }

/** The newest comp of a shot as stored JSON data; undefined when the shot has none. */
export async function readComp(
  db: Db,
  shotId: string,
): Promise<(CompRevision & { doc: unknown }) | undefined> {
  const [rows] = await db.execute<(RowDataPacket & CompRevision & { doc: unknown })[]>(
    `select r.revision, r.saved_at as savedAt, r.doc from comps c
     join comp_revisions r on r.shot_id = c.shot_id and r.revision = c.revision where c.shot_id = ?`,
    [shotId],
  )
  const row = rows[0]
  return row && { revision: row.revision, savedAt: row.savedAt, doc: row.doc }
}

/** Saves a comp on top of the revision it was made from; when that is no longer the newest, nothing is written. */
export async function saveComp(pool: Pool, shotId: string, base: number, comp: Comp): Promise<SaveResult> {
  return inTransaction(pool, (db) => saveCompIn(db, shotId, base, comp))
}

/** The same inside a transaction. */
export async function saveCompIn(db: Db, shotId: string, base: number, comp: Comp): Promise<SaveResult> {
  if (!(await lockShot(db, shotId))) return { gone: true }
  const doc = JSON.stringify(comp)
  const [rows] = await db.execute<(RowDataPacket & CompRevision & { isSame: number })[]>(
    `select c.revision, r.saved_at as savedAt, r.doc = ? as isSame from comps c
     left join comp_revisions r on r.shot_id = c.shot_id and r.revision = c.revision where c.shot_id = ?`,
    [doc, shotId],
  )
  const newest = rows[0]
  if ((newest?.revision ?? 0) !== base) {
    // Saved before, and its answer was lost on the way: nobody else was faster.
    if (newest?.revision === base + 1 && newest.isSame === 1) return { saved: newest.revision }
    return { conflict: { revision: newest?.revision ?? 0, savedAt: newest?.savedAt ?? new Date() } }
  }
  const revision = base + 1
  await db.execute(
    'insert into comps (shot_id, revision) values (?, ?) on duplicate key update revision = ?',
    [shotId, revision, revision],
  )
  await db.execute('insert into comp_revisions (shot_id, revision, doc) values (?, ?, ?)', [
    shotId,
    revision,
    doc,
  ])
  await db.execute('delete from comp_revisions where shot_id = ? and revision <= ?', [
    shotId,
    revision - keptRevisions,
  ])
  await touchShot(db, shotId)
  return { saved: revision }
}

export async function newestRevision(db: Db, shotId: string): Promise<number | undefined> {
  const [rows] = await db.execute<(RowDataPacket & { revision: number })[]>(
    'select revision from comps where shot_id = ?',
    [shotId],
  )
  return rows[0]?.revision
}

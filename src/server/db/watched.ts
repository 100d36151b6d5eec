import type { RowDataPacket } from 'mysql2'
import type { Db } from './pool.ts'

export interface WatchedFolder {
  readonly shotId: string
  readonly path: string
}
export interface WatchedFile {
  readonly name: string
  readonly bytes: number
  readonly changedMs: number
}

/** From now on, files that arrive in the folder come into the shot. */
export async function watchFolder(db: Db, { shotId, path }: WatchedFolder): Promise<void> {
  await db.execute('insert ignore into watched_folders (shot_id, path) values (?, ?)', [shotId, path])
}

export async function listWatchedFolders(db: Db): Promise<WatchedFolder[]> {
  const [rows] = await db.execute<(RowDataPacket & WatchedFolder)[]>(
    'select shot_id as shotId, path from watched_folders order by created_at',
  )
  return rows.map(({ shotId, path }) => ({ shotId, path }))
}

/** What has been taken from a folder, accepted or not. */
export async function listTakenFiles(db: Db, { shotId, path }: WatchedFolder): Promise<WatchedFile[]> {
  const [rows] = await db.execute<(RowDataPacket & WatchedFile)[]>(
    'select name, bytes, changed_ms as changedMs from watched_files where shot_id = ? and path = ?',
    [shotId, path],
  )
  return rows.map(({ name, bytes, changedMs }) => ({ name, bytes, changedMs }))
}

/** Notes that a file was taken, and why it was refused where it was. */
export async function noteTakenFile(
  db: Db,
  { shotId, path }: WatchedFolder,
  file: WatchedFile,
  problem: string | undefined,
): Promise<void> {
  await db.execute(
    'replace into watched_files (shot_id, path, name, bytes, changed_ms, problem) values (?, ?, ?, ?, ?, ?)',
    [shotId, path, file.name, file.bytes, file.changedMs, problem ?? null],
  )
}

/** Folders whose files come into a shot. */
export async function watchedFoldersOf(db: Db, shotId: string): Promise<string[]> {
  const [rows] = await db.execute<(RowDataPacket & { path: string })[]>(
    'select path from watched_folders where shot_id = ? order by created_at',
    [shotId],
  )
  return rows.map((r) => r.path)
}

/** Ends the watching of a folder; what came from it stays. */
export async function leaveFolder(db: Db, { shotId, path }: WatchedFolder): Promise<void> {
  await db.execute('delete from watched_folders where shot_id = ? and path = ?', [shotId, path])
}

/** Files of watched folders that were refused, and why; the last ones. */
export async function refusedOf(db: Db, shotId: string): Promise<{ name: string; problem: string }[]> {
  const [rows] = await db.execute<(RowDataPacket & { name: string; problem: string })[]>(
    'select name, problem from watched_files where shot_id = ? and problem is not null order by changed_ms desc limit 50',
    [shotId],
  )
  return rows.map(({ name, problem }) => ({ name, problem }))
}

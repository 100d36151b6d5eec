import { readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { createConnection, type RowDataPacket } from 'mysql2/promise'

/** Applies the numbered .sql files of a folder that have not been applied yet, in order. Gives back their names. */
export async function migrate(uri: string, folder: string): Promise<string[]> {
  const db = await createConnection({ uri, multipleStatements: true })
  try {
    await db.query(
      'create table if not exists migrations (name varchar(100) not null primary key, applied_at datetime not null default current_timestamp)',
    )
    const [rows] = await db.query<(RowDataPacket & { name: string })[]>('select name from migrations')
    const applied = new Set(rows.map((r) => r.name))
    const pending = readdirSync(folder)
      .filter((name) => name.endsWith('.sql') && !applied.has(name))
      .sort()
    for (const name of pending) {
      await db.query(readFileSync(join(folder, name), 'utf8'))
      await db.execute('insert into migrations (name) values (?)', [name])
    }
    return pending
  } finally {
    await db.end()
  }
}

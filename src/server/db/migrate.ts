import { readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { createConnection, type Connection, type RowDataPacket } from 'mysql2/promise'

/** The statements of a .sql file: each ends with ';' at the end of a line; lines of comment are left out. */
export function statementsOf(sql: string): string[] {
  const lines = sql.split('\n').filter((line) => !/^\s*--/.test(line))
  return lines
    .join('\n')
    .split(/;[ \t]*(?:\n|$)/)
    .map((statement) => statement.trim())
    .filter((statement) => statement !== '')
}

const lockName = 'zafiro-migrate'
/** Seconds that a second program waits for one that migrates. */
const lockPatience = 120

async function applied(db: Connection): Promise<{ files: Set<string>; steps: Set<string> }> {
  await db.query(
    'create table if not exists migrations (name varchar(100) not null primary key, applied_at datetime not null default current_timestamp)',
  )
  await db.query(
    'create table if not exists migration_steps (name varchar(100) not null, step int not null, primary key (name, step))',
  )
  const [files] = await db.query<(RowDataPacket & { name: string })[]>('select name from migrations')
  const [steps] = await db.query<(RowDataPacket & { name: string; step: number })[]>(
    'select name, step from migration_steps',
  )
  return {
    files: new Set(files.map((r) => r.name)),
    steps: new Set(steps.map((r) => `${r.name} ${r.step}`)),
  }
}

/**
 * Applies the numbered .sql files of a folder that have not been applied yet, in order, and gives back their names. MariaDB can
 * not undo a change of tables, so each statement is noted when it is done and can run again: what breaks off in between goes on
 * from there. One program does it at a time. `onStatement` hears of each before it runs.
 */
export async function migrate(
  uri: string,
  folder: string,
  onStatement: (file: string, step: number) => void = () => undefined,
): Promise<string[]> {
  const db = await createConnection({ uri })
  try {
    const [[lock]] = await db.query<(RowDataPacket & { isOurs: number | null })[]>(
      'select get_lock(?, ?) as isOurs',
      [lockName, lockPatience],
    )
    if (lock?.isOurs !== 1)
      throw new Error(
        `Another program has been changing the database for ${lockPatience} s. Try again when it is done.`,
      )
    const done = await applied(db)
    const pending = readdirSync(folder)
      .filter((name) => name.endsWith('.sql') && !done.files.has(name))
      .sort()
    for (const name of pending) {
      for (const [step, statement] of statementsOf(readFileSync(join(folder, name), 'utf8')).entries()) {
        if (done.steps.has(`${name} ${step}`)) continue
        onStatement(name, step)
        await db.query(statement)
        await db.execute('insert ignore into migration_steps (name, step) values (?, ?)', [name, step])
      }
      await db.execute('insert ignore into migrations (name) values (?)', [name])
    }
    return pending
  } finally {
    await db.end().catch(() => {
      db.destroy()
    })
  }
}

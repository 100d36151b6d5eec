import { createHash } from 'node:crypto'
import { createReadStream } from 'node:fs'
import { readdir, readFile, rename, rm } from 'node:fs/promises'
import { join } from 'node:path'
import { pipeline } from 'node:stream/promises'
import { createConnection, type RowDataPacket } from 'mysql2/promise'
import { clearParts } from './clear-parts.ts'
import { isWholeForm } from './whole-form.ts'

async function hashOf(path: string): Promise<string> {
  const hash = createHash('sha256')
  await pipeline(createReadStream(path), hash)
  return hash.digest('hex')
}

/** Where each stored file is used, by its hash; undefined while the database does not run. */
async function usesOf(home: string): Promise<Map<string, string> | undefined> {
  try {
    const { password } = JSON.parse(await readFile(join(home, 'db', 'settings.json'), 'utf8')) as {
      password: string
    }
    const socketPath = join(home, 'db', 'run', 'db.sock')
    const db = await createConnection({ user: 'zafiro', password, database: 'zafiro', socketPath })
    try {
      const [rows] = await db.query<(RowDataPacket & { hash: string; shot: string; file: string })[]>(
        `select f.file_hash as hash, s.name as shot, f.file_name as file from frames f join shots s on s.id = f.shot_id`,
      )
      return new Map(rows.map(({ hash, shot, file }) => [hash, `${shot}: ${file}`]))
    } finally {
      await db.end()
    }
  } catch {
    return undefined
  }
}

/** What a check of the store found. */
export interface StoreReport {
  readonly checked: number
  readonly damaged: readonly string[]
  readonly missing: readonly string[]
  /** Forms made from stored files that are not whole. */
  readonly cutForms: number
}

/**
 * `zafiro store check`: holds every stored file against its name. With `repair`, damaged ones are put aside, so that they are
 * taken again from the next copy that comes in, and what can be made again is removed where it is not whole.
 */
export async function checkStore(
  home: string,
  { repair }: { repair: boolean },
  say: (line: string) => void,
): Promise<StoreReport> {
  const store = join(home, 'store')
  const uses = await usesOf(home)
  const damaged: string[] = []
  const there = new Set<string>()
  let checked = 0
  const folders = (await readdir(store).catch(() => [])).filter((name) => /^[0-9a-f]{2}$/.test(name))
  for (const folder of folders.sort())
    for (const name of (await readdir(join(store, folder))).filter((n) => /^[0-9a-f]{64}$/.test(n)).sort()) {
      const path = join(store, folder, name)
      checked++
      there.add(name)
      if ((await hashOf(path)) === name) continue
      damaged.push(name)
      say(`damaged  ${name}  ${uses?.get(name) ?? ''}`.trimEnd())
      if (repair) await rename(path, `${path}.damaged`)
    }
  const missing = [...(uses ?? [])].filter(([hash]) => !there.has(hash)).map(([hash]) => hash)
  for (const hash of missing) say(`missing  ${hash}  ${uses?.get(hash) ?? ''}`)
  let cutForms = 0
  const forms = await readdir(join(store, 'passes'), { recursive: true, withFileTypes: true }).catch(() => [])
  for (const entry of forms) {
    const path = join(entry.parentPath, entry.name)
    if (!entry.isFile() || !entry.name.endsWith('.pass') || (await isWholeForm(path))) continue
    cutForms++
    if (repair) await rm(path, { force: true })
  }
  const parts = repair ? await clearParts(store) : 0
  const count = (n: number, what: string) => `${n} ${what}${n === 1 ? '' : 's'}`
  say(
    `${count(checked, 'file')} checked: ${damaged.length} damaged, ${uses ? `${missing.length} missing` : 'missing ones are known only while Zafiro runs'}, ${count(cutForms, 'cut form')}.`,
  )
  if (repair && (damaged.length > 0 || cutForms > 0 || parts > 0))
    say(
      `Put aside or removed: ${count(damaged.length, 'damaged file')}, ${count(cutForms, 'cut form')}, ${count(parts, 'part')}.`,
    )
  if (damaged.length + missing.length > 0)
    say(
      repair
        ? 'Bring these files in again: they are taken in their old places.'
        : 'Run it with --repair, then bring these files in again: they are taken in their old places.',
    )
  return { checked, damaged, missing, cutForms }
}

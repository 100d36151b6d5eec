import type { RowDataPacket } from 'mysql2/promise'
import * as v from 'valibot'
import { mostSettings, renderSettings, type RenderSettings } from '../../core/renders/render-settings.ts'
import type { Db } from './pool.ts'

export interface NamedSettings extends RenderSettings {
  readonly name: string
}

/** All that are kept, by name; one that this build can not read is left out. */
export async function listSettings(db: Db): Promise<NamedSettings[]> {
  const [rows] = await db.query<(RowDataPacket & { name: string; doc: unknown })[]>(
    'select name, doc from render_settings order by name',
  )
  return rows.flatMap(({ name, doc }) => {
    const read = v.safeParse(renderSettings, doc)
    return read.success ? [{ name, ...read.output }] : []
  })
}

/** Keeps settings under a name, in place of those it had; false where too many are kept. */
export async function saveSettings(db: Db, { name, ...settings }: NamedSettings): Promise<boolean> {
  const [[row]] = await db.execute<(RowDataPacket & { n: number })[]>(
    'select count(*) as n from render_settings where name <> ?',
    [name],
  )
  if (row!.n >= mostSettings) return false
  await db.execute('replace into render_settings (name, doc) values (?, ?)', [name, JSON.stringify(settings)])
  return true
}

export async function deleteSettings(db: Db, name: string): Promise<void> {
  await db.execute('delete from render_settings where name = ?', [name])
}

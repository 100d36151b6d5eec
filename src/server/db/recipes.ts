import type { Pool, RowDataPacket } from 'mysql2/promise'
import { inTransaction, type Db } from './pool.ts'

/** A recipe of the library, with what it is now. */
export interface StoredRecipe {
  readonly id: string
  readonly version: number
  readonly doc: unknown
  readonly savedAt: Date
}

/** Recipes are listed up to so many. */
export const mostRecipes = 2000

/** All recipes in their newest versions, by name. */
export async function listRecipes(db: Db): Promise<StoredRecipe[]> {
  const [rows] = await db.query<(RowDataPacket & StoredRecipe)[]>(
    `select r.id, r.version, v.doc, v.saved_at as savedAt from recipes r
     join recipe_versions v on v.recipe_id = r.id and v.version = r.version order by r.name limit ${mostRecipes}`,
  )
  return rows.map(({ id, version, doc, savedAt }) => ({ id, version, doc, savedAt }))
}

/** A version of a recipe; undefined when there is none. */
export async function findRecipe(db: Db, id: string, version: number): Promise<unknown> {
  const [rows] = await db.execute<(RowDataPacket & { doc: unknown })[]>(
    'select doc from recipe_versions where recipe_id = ? and version = ?',
    [id, version],
  )
  return rows[0]?.doc
}

/**
 * Saves a recipe on top of a version; of one that is not there, 0. Gives back the new version, or the present one where someone else was faster or it is
 * gone (0).
 */
export async function saveRecipe(
  pool: Pool,
  id: string,
  base: number,
  name: string,
  doc: unknown,
): Promise<{ readonly saved: number } | { readonly conflict: number }> {
  return inTransaction(pool, async (db) => {
    const [rows] = await db.execute<(RowDataPacket & { version: number })[]>(
      'select version from recipes where id = ? for update',
      [id],
    )
    const now = rows[0]?.version ?? 0
    if (now !== base) return { conflict: now }
    const version = base + 1
    if (base === 0)
      await db.execute('insert into recipes (id, name, version) values (?, ?, ?)', [id, name, version])
    else await db.execute('update recipes set name = ?, version = ? where id = ?', [name, version, id])
    await db.execute('insert into recipe_versions (recipe_id, version, doc) values (?, ?, ?)', [
      id,
      version,
      JSON.stringify(doc),
    ])
    return { saved: version }
  })
}

/** Shots whose newest comp holds a step that came from a recipe, those that were changed last first. */
export async function usesOfRecipe(db: Db, id: string): Promise<{ id: string; name: string }[]> {
  const [rows] = await db.execute<(RowDataPacket & { id: string; name: string })[]>(
    `select s.id, s.name from shots s join comps c on c.shot_id = s.id
     join comp_revisions r on r.shot_id = c.shot_id and r.revision = c.revision
     where json_contains(json_extract(r.doc, '$**.from.id'), json_quote(?)) order by s.updated_at desc limit 200`,
    [id],
  )
  return rows.map(({ id: shot, name }) => ({ id: shot, name }))
}

/** Takes a recipe out of the library; comps that use it hold their own. False when there is none. */
export async function deleteRecipe(pool: Pool, id: string): Promise<boolean> {
  return inTransaction(pool, async (db) => {
    const [rows] = await db.execute<RowDataPacket[]>('select id from recipes where id = ? for update', [id])
    if (rows.length === 0) return false
    await db.execute('delete from recipes where id = ?', [id])
    return true
  })
}

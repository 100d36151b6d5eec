import type { Pool } from 'mysql2/promise'
import { parseComp } from '../../core/comp/schema.ts'
import { readComp } from '../db/comps.ts'
import { followedRenders, takeArrived } from '../db/followed.ts'
import { readMedia } from '../db/media.ts'
import { withDb } from '../db/pool.ts'
import { wholeFrames } from './arrivals.ts'

/** What a shot was when it was looked at last, by render. */
export type Seen = Map<string, string>

/**
 * Looks once at every render that follows its shot: frames that have become whole, or have come again, are put in line, to be rendered with the shot's
 * look of now. Gives back how many.
 */
export async function followOnce(pool: Pool, seen: Seen): Promise<number> {
  let count = 0
  for (const { id, shotId } of await withDb(followedRenders)) {
    const stored = await readComp(pool, shotId)
    if (!stored) continue
    const { table } = await readMedia(pool, shotId)
    const text = `${stored.revision} ${JSON.stringify(table)}`
    if (seen.get(id) === text) continue
    const comp = parseComp(stored.doc)
    count += await takeArrived(pool, id, { comp, media: table, whole: wholeFrames(comp, table) })
    seen.set(id, text)
  }
  return count
}

import type { RowDataPacket } from 'mysql2'
import * as v from 'valibot'
import type { Reading, ReadingStore } from '../../core/engine/readings.ts'
import { loggerOf } from '../log.ts'
import { withDb, type Db } from './pool.ts'

const numbersSchema = v.array(v.pipe(v.number(), v.finite()))
/** As many as one statement asks for or writes. */
const mostAtOnce = 500

/** Readings that were made before, by key. */
export async function findReadings(db: Db, keys: readonly string[]): Promise<Map<string, Reading>> {
  const found = new Map<string, Reading>()
  for (let i = 0; i < keys.length; i += mostAtOnce) {
    const part = keys.slice(i, i + mostAtOnce)
    const [rows] = await db.query<(RowDataPacket & { reading_key: string; numbers: string })[]>(
      'select reading_key, numbers from readings_made where reading_key in (?)',
      [part],
    )
    for (const { reading_key, numbers } of rows)
      found.set(reading_key, v.parse(numbersSchema, JSON.parse(numbers)))
  }
  return found
}

export async function keepReadings(db: Db, readings: ReadonlyMap<string, Reading>): Promise<void> {
  const all = [...readings].map(([key, numbers]) => [key, JSON.stringify(numbers)])
  for (let i = 0; i < all.length; i += mostAtOnce)
    await db.query('insert ignore into readings_made (reading_key, numbers) values ?', [
      all.slice(i, i + mostAtOnce),
    ])
  // What is old is made anew where it is still wanted.
  await db.execute('delete from readings_made where made_at < now() - interval 180 day limit 2000')
}

/** Readings kept in the database. One that can not be reached costs time, not the picture. */
export const storedReadings: ReadingStore = {
  async fetch(keys) {
    try {
      return await withDb((pool) => findReadings(pool, keys))
    } catch {
      return new Map()
    }
  },
  async keep(readings) {
    try {
      await withDb((pool) => keepReadings(pool, readings))
    } catch (error) {
      loggerOf('readings').warn(error, 'they could not be kept')
    }
  },
}

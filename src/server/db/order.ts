import type { RowDataPacket } from 'mysql2/promise'
import type { Db } from './pool.ts'

/** Says that the order of what waits is another now. */
export async function markOrder(db: Db): Promise<void> {
  await db.execute('update queue_order set mark = mark + 1 where one = 1')
}
export async function orderMark(db: Db): Promise<number> {
  const [rows] = await db.query<(RowDataPacket & { mark: number })[]>(
    'select mark from queue_order where one = 1',
  )
  return rows[0]?.mark ?? 0
}

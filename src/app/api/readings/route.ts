import { answer } from '../../../server/answer.ts'
import { readingsBody, readingsQuestion } from '../../../server/contracts.ts'
import { findReadings, keepReadings } from '../../../server/db/readings.ts'
import { withDb } from '../../../server/db/pool.ts'
import { readBody } from '../../../server/request-body.ts'

/** What was read out of pictures before, by key: { readings: { key: numbers } } of those that are known. */
export function POST(request: Request): Promise<Response> {
  return answer(async () => {
    const { keys } = await readBody(request, readingsQuestion)
    const found = await withDb((pool) => findReadings(pool, keys))
    return Response.json({ readings: Object.fromEntries(found) })
  })
}

/** Keeps what was read; what is known already stays. */
export function PUT(request: Request): Promise<Response> {
  return answer(async () => {
    const { readings } = await readBody(request, readingsBody)
    await withDb((pool) => keepReadings(pool, new Map(Object.entries(readings))))
    return Response.json({ readings: {} })
  })
}

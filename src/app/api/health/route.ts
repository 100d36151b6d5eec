import { answer } from '../../../server/answer.ts'
import { withDb } from '../../../server/db/pool.ts'

export const dynamic = 'force-dynamic'

export function GET(): Promise<Response> {
  return answer(async () => {
    await withDb((pool) => pool.query('select 1'))
    return Response.json({ ok: true })
  })
}

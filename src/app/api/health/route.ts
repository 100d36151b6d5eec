import { answer } from '../../../server/answer.ts'
import { withDb } from '../../../server/db/pool.ts'
import { troubledParts } from '../../../server/parts-state.ts'

export const dynamic = 'force-dynamic'

/** Whether everything answers, and the parts that stop again and again: { ok, parts: [{ name, crashes }] }. */
export function GET(): Promise<Response> {
  return answer(async () => {
    await withDb((pool) => pool.query('select 1'))
    // Strangers may ask this too, so what a part said last stays in the start's output.
    const parts = (await troubledParts()).map(({ name, crashes, isRunning }) => ({
      name,
      crashes,
      isRunning,
    }))
    return Response.json({ ok: true, parts })
  })
}

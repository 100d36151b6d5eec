import { DatabaseUnreachable, withDb } from '../server/db/pool.ts'
import { listShots } from '../server/db/shots.ts'
import { ShotsPage } from '../ui/shots/shots-page.tsx'

export const dynamic = 'force-dynamic'

export default async function Page() {
  try {
    const shots = await withDb(listShots)
    return <ShotsPage shots={shots.map((s) => ({ ...s, updatedAt: s.updatedAt.toISOString() }))} />
  } catch (error) {
    if (!(error instanceof DatabaseUnreachable)) throw error
    return <ShotsPage shots={[]} problem={error.message} />
  }
}

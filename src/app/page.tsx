import { DatabaseUnreachable, withDb } from '../server/db/pool.ts'
import { listShots } from '../server/db/shots.ts'
import { ShotsPage } from '../ui/shots/shots-page.tsx'

export const dynamic = 'force-dynamic'

export default async function Page() {
  const found = await withDb(listShots).catch((error: unknown) => {
    if (error instanceof DatabaseUnreachable) return error.message
    throw error
  })
  if (typeof found === 'string') return <ShotsPage shots={[]} problem={found} />
  return <ShotsPage shots={found.map((s) => ({ ...s, updatedAt: s.updatedAt.toISOString() }))} />
}

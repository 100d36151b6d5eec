import Link from 'next/link'
import { ProblemError } from '../../../core/comp/problem.ts'
import { RequestError } from '../../../server/answer.ts'
import { DatabaseUnreachable } from '../../../server/db/pool.ts'
import { openShot, type OpenShot } from '../../../server/shot-service.ts'
import { ShotScreen } from '../../../ui/shot/shot-screen.tsx'

export const dynamic = 'force-dynamic'

async function open(id: string): Promise<OpenShot | string> {
  try {
    return await openShot(id)
  } catch (error) {
    if (
      error instanceof RequestError ||
      error instanceof DatabaseUnreachable ||
      error instanceof ProblemError
    )
      return error.message
    throw error
  }
}

export default async function Page({ params }: { params: Promise<{ id: string }> }) {
  const shot = await open((await params).id)
  if (typeof shot !== 'string') return <ShotScreen shot={shot} />
  return (
    <main className="mx-auto mt-32 max-w-lg space-y-4 text-center">
      <p role="alert">{shot}</p>
      <Link href="/" className="btn btn-sm">
        All shots
      </Link>
    </main>
  )
}

import { answer } from '../../../server/answer.ts'
import { outputRoots } from '../../../server/home.ts'

export const dynamic = 'force-dynamic'

/** Folders below which files of renders may be put, as the start command names them. */
export const GET = (): Promise<Response> =>
  answer(() => Promise.resolve(Response.json({ roots: outputRoots })))

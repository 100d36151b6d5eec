import { relative } from 'node:path'
import { answer, RequestError } from '../../../../../server/answer.ts'
import { watchedBody } from '../../../../../server/contracts.ts'
import { withDb } from '../../../../../server/db/pool.ts'
import { findShot } from '../../../../../server/db/shots.ts'
import { leaveFolder, refusedOf, watchedFoldersOf, watchFolder } from '../../../../../server/db/watched.ts'
import { folders } from '../../../../../server/home.ts'
import { intakePath } from '../../../../../server/incoming.ts'
import { readBody } from '../../../../../server/request-body.ts'

type Context = { params: Promise<{ id: string }> }

const nameOf = (path: string) => {
  const inside = relative(folders.intake, path)
  return inside.startsWith('..') ? path : inside || '.'
}

/** Folders whose files come into the shot as they arrive, and what was refused of them. */
export function GET(_: Request, { params }: Context): Promise<Response> {
  return answer(async () => {
    const { id } = await params
    const [watched, refused] = await withDb(async (db) => [
      await watchedFoldersOf(db, id),
      await refusedOf(db, id),
    ])
    return Response.json({ folders: watched.map((path) => ({ path, name: nameOf(path) })), refused })
  })
}

/** { path, isWatched }: begins or ends the watching of a folder; one to begin with lies in the intake folder. */
export function POST(request: Request, { params }: Context): Promise<Response> {
  return answer(async () => {
    const { path, isWatched } = await readBody(request, watchedBody)
    const { id } = await params
    if (!(await withDb((db) => findShot(db, id)))) throw new RequestError(404, 'There is no such shot.')
    if (!isWatched) await withDb((db) => leaveFolder(db, { shotId: id, path }))
    else {
      const found = await intakePath(path)
      await withDb((db) => watchFolder(db, { shotId: id, path: found }))
    }
    return Response.json({ ok: true })
  })
}

import { rm } from 'node:fs/promises'
import { join } from 'node:path'
import type { Pool } from 'mysql2/promise'
import type * as v from 'valibot'
import { answer, RequestError } from '../../../../server/answer.ts'
import { renderChange } from '../../../../server/contracts.ts'
import { setFollowing } from '../../../../server/db/followed.ts'
import { withDb } from '../../../../server/db/pool.ts'
import {
  cancelRender,
  deleteRender,
  findRender,
  moveRender,
  pauseRender,
  retryRender,
} from '../../../../server/db/renders.ts'
import { folders } from '../../../../server/home.ts'
import { deliverAgain } from '../../../../server/render/deliver.ts'
import { readBody } from '../../../../server/request-body.ts'

type Context = { params: Promise<{ id: string }> }

export function GET(_: Request, { params }: Context): Promise<Response> {
  return answer(async () => {
    const render = await withDb(async (pool) => findRender(pool, (await params).id))
    if (!render) throw new RequestError(404, 'There is no such render.')
    return Response.json(render)
  })
}

function changed(pool: Pool, id: string, change: v.InferOutput<typeof renderChange>): Promise<boolean> {
  switch (change.action) {
    case 'cancel':
      return cancelRender(pool, id)
    case 'retry':
      return retryRender(pool, id)
    case 'delete':
      return deleteRender(pool, id)
    case 'pause':
    case 'resume':
      return pauseRender(pool, id, change.action === 'pause')
    case 'follow':
    case 'leave':
      return setFollowing(pool, id, change.action === 'follow')
    case 'deliver':
      return deliverAgain(id)
    case 'before':
      return moveRender(pool, id, { before: change.other })
    default:
      return moveRender(pool, id, change.action)
  }
}

/** { action }, see renderChange; deleting takes its files away, too. */
export function POST(request: Request, { params }: Context): Promise<Response> {
  return answer(async () => {
    const change = await readBody(request, renderChange)
    const { id } = await params
    if (!(await withDb((pool) => changed(pool, id, change))))
      throw new RequestError(404, 'There is no such render.')
    // Ids that are in the database have no slashes.
    if (change.action === 'delete')
      await rm(join(/*turbopackIgnore: true*/ folders.renders, id), { recursive: true, force: true })
    return Response.json({ ok: true })
  })
}

import { rm } from 'node:fs/promises'
import { join } from 'node:path'
import { answer, RequestError } from '../../../../server/answer.ts'
import { renderChange } from '../../../../server/contracts.ts'
import { withDb } from '../../../../server/db/pool.ts'
import { cancelRender, deleteRender, findRender, retryRender } from '../../../../server/db/renders.ts'
import { folders } from '../../../../server/home.ts'
import { readBody } from '../../../../server/request-body.ts'

type Context = { params: Promise<{ id: string }> }

export function GET(_: Request, { params }: Context): Promise<Response> {
  return answer(async () => {
    const render = await withDb(async (pool) => findRender(pool, (await params).id))
    if (!render) throw new RequestError(404, 'There is no such render.')
    return Response.json(render)
  })
}

/** { action: 'cancel' | 'retry' | 'delete' }; deleting takes its files away, too. */
export function POST(request: Request, { params }: Context): Promise<Response> {
  return answer(async () => {
    const { action } = await readBody(request, renderChange)
    const { id } = await params
    const change = { cancel: cancelRender, retry: retryRender, delete: deleteRender }[action]
    if (!(await withDb((pool) => change(pool, id)))) throw new RequestError(404, 'There is no such render.')
    // Ids that are in the database have no slashes.
    if (action === 'delete')
      await rm(join(/*turbopackIgnore: true*/ folders.renders, id), { recursive: true, force: true })
    return Response.json({ ok: true })
  })
}

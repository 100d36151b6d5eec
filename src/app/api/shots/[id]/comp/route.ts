import { answer, RequestError } from '../../../../../server/answer.ts'
import { compBody, most } from '../../../../../server/contracts.ts'
import { newestRevision } from '../../../../../server/db/comps.ts'
import { withDb } from '../../../../../server/db/pool.ts'
import { readBody } from '../../../../../server/request-body.ts'
import { acceptComp, saveOnto } from '../../../../../server/shot-service.ts'

type Context = { params: Promise<{ id: string }> }

/** The newest revision, so that a page can tell whether it is behind. */
export function GET(_: Request, { params }: Context): Promise<Response> {
  return answer(async () => {
    const revision = await withDb(async (pool) => newestRevision(pool, (await params).id))
    if (revision === undefined)
      throw new RequestError(404, 'There is no such shot. It may have been deleted.')
    return Response.json({ revision })
  })
}

/** Saves { base, comp }; 409 with the newest revision when `base` is not it. */
export function PUT(request: Request, { params }: Context): Promise<Response> {
  return answer(async () => {
    const { base, comp } = await readBody(request, compBody, most.comp)
    return Response.json({ revision: await saveOnto((await params).id, base, acceptComp(comp)) })
  })
}

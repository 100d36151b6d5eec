import * as v from 'valibot'
import { answer, readJson, RequestError } from '../../../../../server/answer.ts'
import { newestRevision } from '../../../../../server/db/comps.ts'
import { withDb } from '../../../../../server/db/pool.ts'
import { acceptComp, saveOnto } from '../../../../../server/shot-service.ts'

type Context = { params: Promise<{ id: string }> }
const saveSchema = v.object({ base: v.pipe(v.number(), v.integer()), comp: v.unknown() })

/** The newest revision, so that a page can tell whether it is behind. */
export function GET(_: Request, { params }: Context): Promise<Response> {
  return answer(async () =>
    Response.json({ revision: await withDb(async (pool) => newestRevision(pool, (await params).id)) }),
  )
}

/** Saves { base, comp }; 409 with the newest revision when `base` is not it. */
export function PUT(request: Request, { params }: Context): Promise<Response> {
  return answer(async () => {
    const body = v.safeParse(saveSchema, await readJson(request))
    if (!body.success) throw new RequestError(400, 'Saving wants { base, comp }.')
    const { base, comp } = body.output
    return Response.json({ revision: await saveOnto((await params).id, base, acceptComp(comp)) })
  })
}

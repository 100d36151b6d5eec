import { parseComp } from '../../../../../core/comp/schema.ts'
import { answer, RequestError } from '../../../../../server/answer.ts'
import { withDb } from '../../../../../server/db/pool.ts'
import { findMade } from '../../../../../server/db/renders.ts'

type Context = { params: Promise<{ id: string }> }

/** What a render was made of: { comp, media } as they were then. */
export function GET(_: Request, { params }: Context): Promise<Response> {
  return answer(async () => {
    const made = await withDb(async (pool) => findMade(pool, (await params).id))
    if (!made) throw new RequestError(404, 'There is no such render.')
    return Response.json({ comp: parseComp(made.doc), media: made.media })
  })
}

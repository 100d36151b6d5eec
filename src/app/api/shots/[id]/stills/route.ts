import { isPng } from '../../../../../core/formats/png.ts'
import { answer, newId, RequestError } from '../../../../../server/answer.ts'
import { most, stillQuery } from '../../../../../server/contracts.ts'
import { withDb } from '../../../../../server/db/pool.ts'
import { findShot } from '../../../../../server/db/shots.ts'
import { insertStill, listStills } from '../../../../../server/db/stills.ts'
import { fitting, queryOf, readBytes } from '../../../../../server/request-body.ts'

type Context = { params: Promise<{ id: string }> }

/** The stills of a shot, the newest first: { stills: [{ id, name, frame }] }. */
export function GET(_: Request, { params }: Context): Promise<Response> {
  return answer(async () => {
    const { id } = await params
    return Response.json({ stills: await withDb((pool) => listStills(pool, id)) })
  })
}

/** Keeps a still: the body is a PNG, ?name= and ?frame= say what it is. Gives back its id and all stills. */
export function POST(request: Request, { params }: Context): Promise<Response> {
  return answer(async () => {
    const { id } = await params
    const { name, frame } = fitting(stillQuery, queryOf(request))
    const png = await readBytes(request, most.still)
    if (!isPng(png)) throw new RequestError(400, 'A still is sent as a PNG.')
    return withDb(async (pool) => {
      if (!(await findShot(pool, id)))
        throw new RequestError(404, 'There is no such shot. It may have been deleted.')
      const still = newId()
      await insertStill(pool, id, { id: still, name, frame }, png)
      return Response.json({ id: still, stills: await listStills(pool, id) })
    })
  })
}

import { answer, newId, RequestError } from '../../../../../server/answer.ts'
import { withDb } from '../../../../../server/db/pool.ts'
import { insertStill, listStills } from '../../../../../server/db/stills.ts'

type Context = { params: Promise<{ id: string }> }
const mostBytes = 15e6

/** The stills of a shot, the newest first: { stills: [{ id, name, frame }] }. */
export function GET(_: Request, { params }: Context): Promise<Response> {
  return answer(async () => {
    const { id } = await params
    return Response.json({ stills: await withDb((pool) => listStills(pool, id)) })
  })
}

/** Keeps a still: the body is a PNG, ?name= and ?frame= say what it is. Gives back all stills. */
export function POST(request: Request, { params }: Context): Promise<Response> {
  return answer(async () => {
    const { id } = await params
    const query = new URL(request.url).searchParams
    const name = (query.get('name') ?? '').trim().slice(0, 120)
    const frame = Number(query.get('frame') ?? NaN)
    const png = new Uint8Array(await request.arrayBuffer())
    const isPng = png[0] === 0x89 && png[1] === 0x50
    if (!name || !Number.isInteger(frame) || !isPng || png.length > mostBytes)
      throw new RequestError(400, 'A still wants a name, a frame and a PNG of at most 15 MB.')
    return withDb(async (pool) => {
      await insertStill(pool, id, { id: newId(), name, frame }, png)
      return Response.json({ stills: await listStills(pool, id) })
    })
  })
}

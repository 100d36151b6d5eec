import { answer, RequestError } from '../../../../../../server/answer.ts'
import { withDb } from '../../../../../../server/db/pool.ts'
import { deleteStill, listStills, readStill } from '../../../../../../server/db/stills.ts'

type Context = { params: Promise<{ id: string; still: string }> }

export function GET(_: Request, { params }: Context): Promise<Response> {
  return answer(async () => {
    const { id, still } = await params
    const png = await withDb((pool) => readStill(pool, id, still))
    if (!png) throw new RequestError(404, 'This still is not there any more.')
    return new Response(new Uint8Array(png), {
      headers: { 'content-type': 'image/png', 'cache-control': 'public, max-age=31536000, immutable' },
    })
  })
}

export function DELETE(_: Request, { params }: Context): Promise<Response> {
  return answer(async () => {
    const { id, still } = await params
    return withDb(async (pool) => {
      await deleteStill(pool, id, still)
      return Response.json({ stills: await listStills(pool, id) })
    })
  })
}

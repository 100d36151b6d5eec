import { withDb } from '../../../../../server/db/pool.ts'
import { findRender } from '../../../../../server/db/renders.ts'
import { eventStream } from '../../../../../server/event-stream.ts'

type Context = { params: Promise<{ id: string }> }
export const dynamic = 'force-dynamic'

/** Server-sent events: the render, whenever something about it changes; ends when all its frames have ended. */
export async function GET(request: Request, { params }: Context): Promise<Response> {
  const { id } = await params
  return eventStream(request, {
    everyMs: 250,
    look: async () => (await withDb((pool) => findRender(pool, id))) ?? null,
    isLast: (render) =>
      render === null ||
      (!render.follows && render.frames.every((f) => f.state !== 'waiting' && f.state !== 'working')),
  })
}

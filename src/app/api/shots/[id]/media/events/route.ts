import { withDb } from '../../../../../../server/db/pool.ts'
import { readMedia } from '../../../../../../server/db/media.ts'
import { eventStream } from '../../../../../../server/event-stream.ts'

type Context = { params: Promise<{ id: string }> }
export const dynamic = 'force-dynamic'

/** Server-sent events: all media of the shot as { media }, whenever frames have arrived. */
export async function GET(request: Request, { params }: Context): Promise<Response> {
  const { id } = await params
  return eventStream(request, {
    everyMs: 2000,
    look: async () => ({ media: (await withDb((pool) => readMedia(pool, id))).table }),
    isLast: () => false,
  })
}

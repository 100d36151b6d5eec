import { answer, RequestError } from '../../../../../../server/answer.ts'
import { readMedia } from '../../../../../../server/db/media.ts'
import { withDb } from '../../../../../../server/db/pool.ts'
import { findShot } from '../../../../../../server/db/shots.ts'
import { eventStream } from '../../../../../../server/event-stream.ts'

type Context = { params: Promise<{ id: string }> }
export const dynamic = 'force-dynamic'

/** Server-sent events: all media of the shot as { media }, whenever frames have arrived. */
export function GET(request: Request, { params }: Context): Promise<Response> {
  return answer(async () => {
    const { id } = await params
    if (!(await withDb((pool) => findShot(pool, id))))
      throw new RequestError(404, 'There is no such shot. It may have been deleted.')
    return eventStream(request, {
      everyMs: 2000,
      look: async () => ({ media: (await withDb((pool) => readMedia(pool, id))).table }),
      isLast: () => false,
    })
  })
}

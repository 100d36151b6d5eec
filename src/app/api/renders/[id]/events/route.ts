import { setTimeout as sleep } from 'node:timers/promises'
import { withDb } from '../../../../../server/db/pool.ts'
import { findRender } from '../../../../../server/db/renders.ts'

type Context = { params: Promise<{ id: string }> }
export const dynamic = 'force-dynamic'
const everyMs = 250

/** Server-sent events: the render, whenever something about it changes; ends when all its frames have ended. */
export async function GET(request: Request, { params }: Context): Promise<Response> {
  const { id } = await params
  const encoder = new TextEncoder()
  const stream = new ReadableStream({
    async start(controller) {
      let last = ''
      try {
        while (!request.signal.aborted) {
          const render = await withDb((pool) => findRender(pool, id))
          const text = JSON.stringify(render ?? null)
          if (text !== last) controller.enqueue(encoder.encode(`data: ${text}\n\n`))
          last = text
          if (!render || render.frames.every((f) => f.state !== 'waiting' && f.state !== 'working')) break
          await sleep(everyMs)
        }
      } catch {
        // The page hears of it by the stream's end, and asks again.
      }
      try {
        controller.close()
      } catch {
        /* The page has left. */
      }
    },
  })
  return new Response(stream, {
    headers: { 'content-type': 'text/event-stream', 'cache-control': 'no-cache, no-transform' },
  })
}

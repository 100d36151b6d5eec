import { setTimeout as sleep } from 'node:timers/promises'

/** What is followed: it is looked at every so often, and told when it has become another. */
interface Followed<T> {
  readonly everyMs: number
  readonly look: () => Promise<T>
  /** Nothing changes any more after this. */
  readonly isLast: (value: T) => boolean
}

/** So that what lies between does not take a quiet stream for a dead one. */
const quietMs = 20_000

/** Server-sent events: a value as JSON, at once and whenever it has changed. When a look fails the stream ends, and the page asks anew. */
export function eventStream<T>(request: Request, { everyMs, look, isLast }: Followed<T>): Response {
  const encoder = new TextEncoder()
  const stream = new ReadableStream<Uint8Array>({
    async start(controller) {
      let last = ''
      let saidAt = performance.now()
      const say = (text: string) => {
        controller.enqueue(encoder.encode(`${text}\n\n`))
        saidAt = performance.now()
      }
      try {
        while (!request.signal.aborted) {
          const value = await look()
          const text = JSON.stringify(value)
          if (text !== last) say(`data: ${text}`)
          else if (performance.now() - saidAt > quietMs) say(': still here')
          last = text
          if (isLast(value)) break
          await sleep(everyMs, undefined, { signal: request.signal })
        }
      } catch {
        // The page hears of it by the stream's end, and asks again; or it has left.
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

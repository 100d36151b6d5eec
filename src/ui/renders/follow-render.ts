import * as v from 'valibot'
import { renderAnswer, type ShownRender } from '../../contracts/answers.ts'
import { requestJson } from '../request-json.ts'

/** A browser speaks to one server over six connections at most (HTTP/1.1); streams that stay open must leave most of them free. */
const mostStreams = 3
const everyMs = 3000
let streams = 0

/** Tells how far a render is, whenever that has changed, until the function that it gives back is called: by a stream while there are few, else by asking. */
export function followRender(id: string, onRender: (render: ShownRender) => void): () => void {
  if (streams < mostStreams) {
    streams++
    const events = new EventSource(`/api/renders/${id}/events`)
    events.onmessage = ({ data }: MessageEvent<string>) => {
      const next = v.parse(v.nullable(renderAnswer), JSON.parse(data))
      if (next) onRender(next)
    }
    return () => {
      streams--
      events.close()
    }
  }
  let isOver = false
  const timer = setInterval(() => {
    requestJson(renderAnswer, `/api/renders/${id}`).then(
      (render) => {
        if (!isOver) onRender(render)
      },
      () => {
        // The server is away for a moment, or the render is gone: the list says so.
      },
    )
  }, everyMs)
  return () => {
    isOver = true
    clearInterval(timer)
  }
}

import { mediaAnswer } from '../../contracts/answers.ts'
import { readAnswer } from '../request-json.ts'
import type { ShotStore } from './shot-store.ts'

/** Takes in frames that arrive while the shot is open and seen. Gives back a function that stops. */
export function followMedia(shotId: string, store: ShotStore): () => void {
  let events: EventSource | undefined
  const take = ({ data }: MessageEvent<string>) => {
    const { media } = readAnswer(mediaAnswer, JSON.parse(data))
    if (JSON.stringify(media) !== JSON.stringify(store.getState().media)) store.getState().set({ media })
  }
  /** A page behind others lets go of its connection: a browser has few of them for one address. */
  const follow = () => {
    const isSeen = document.visibilityState === 'visible'
    if (!isSeen) events?.close()
    if (isSeen && (events === undefined || events.readyState === EventSource.CLOSED)) {
      // It connects anew by itself when the server was away.
      events = new EventSource(`/api/shots/${shotId}/media/events`)
      events.onmessage = take
    }
  }
  follow()
  document.addEventListener('visibilitychange', follow)
  return () => {
    document.removeEventListener('visibilitychange', follow)
    events?.close()
  }
}

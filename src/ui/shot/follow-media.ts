import type { MediaTable } from '../../core/comp/media.ts'
import { requestJson } from '../request-json.ts'
import type { ShotStore } from './shot-store.ts'

const everyMs = 3000

/** Takes in frames that arrive while the shot is open. Gives back a function that stops. */
export function followMedia(shotId: string, store: ShotStore): () => void {
  let isAsking = false
  const ask = async () => {
    if (isAsking || document.visibilityState !== 'visible') return
    isAsking = true
    const answer = await requestJson<{ media: MediaTable }>(`/api/shots/${shotId}/media`).catch(
      () => undefined,
    )
    isAsking = false
    const { media, set } = store.getState()
    if (answer && JSON.stringify(answer.media) !== JSON.stringify(media)) set({ media: answer.media })
  }
  const timer = setInterval(() => void ask(), everyMs)
  return () => {
    clearInterval(timer)
  }
}

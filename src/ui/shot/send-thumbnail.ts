import type { Shown } from '../../core/engine/session/requests.ts'
import type { ShotStore } from './shot-store.ts'

const restMs = 2500
const width = 384

/** Sends a small copy of the finished picture for the list of shots, once it has rested for a while. */
export function sendThumbnail(
  shotId: string,
  store: ShotStore,
  onPicture: (listener: (shown: Shown) => void) => () => void,
): () => void {
  let timer: ReturnType<typeof setTimeout> | undefined
  let isFirst = true
  const send = async (shown: Shown) => {
    const full = new OffscreenCanvas(shown.width, shown.height)
    // The list of shots is sRGB.
    const colorSpace = store.getState().comp.screen === 'p3' ? 'display-p3' : 'srgb'
    const codes = new ImageData(shown.pixels, shown.width, shown.height, { colorSpace })
    full.getContext('2d')!.putImageData(codes, 0, 0)
    const small = new OffscreenCanvas(width, Math.max(1, Math.round((width * shown.height) / shown.width)))
    small.getContext('2d')!.drawImage(full, 0, 0, small.width, small.height)
    const body = await small.convertToBlob({ type: 'image/png' })
    await fetch(`/api/shots/${shotId}/thumbnail`, { method: 'PUT', body }).catch(() => undefined)
  }
  const stop = onPicture((shown) => {
    clearTimeout(timer)
    const { viewMode, exposure, channel, shownPass } = store.getState()
    // Only the picture as it is, not as someone happens to look at it; and not when it was only opened.
    if (
      !shown.isSettled ||
      shown.part !== undefined ||
      viewMode !== 'picture' ||
      shownPass !== undefined ||
      exposure !== 0 ||
      channel !== 'colour'
    )
      return
    if (isFirst) {
      isFirst = false
      return
    }
    timer = setTimeout(() => void send(shown), restMs)
  })
  return () => {
    stop()
    clearTimeout(timer)
  }
}

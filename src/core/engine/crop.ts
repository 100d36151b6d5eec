import { plainPicture, type Picture } from '../picture/picture.ts'
import type { WorkArea } from './work-area.ts'

/** The canvas without its margin: the picture itself where there is none, else a copy in ordinary memory. */
export function cropToCanvas(picture: Picture, { marginPx, canvasWidth, canvasHeight }: WorkArea): Picture {
  if (marginPx === 0) return picture
  const out = plainPicture(canvasWidth, canvasHeight, picture.channels)
  const row = canvasWidth * picture.channels
  for (let y = 0; y < canvasHeight; y++) {
    const from = ((y + marginPx) * picture.width + marginPx) * picture.channels
    out.data.set(picture.data.subarray(from, from + row), y * row)
  }
  return out
}

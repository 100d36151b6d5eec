import { plainPicture, type Picture } from '../picture/picture.ts'
import type { WorkArea } from './work-area.ts'

/** The canvas without its margin: the picture itself where there is none, else a copy in ordinary memory. */
export function cropToCanvas(picture: Picture, { left, top, canvasWidth, canvasHeight }: WorkArea): Picture {
  if (picture.width === canvasWidth && picture.height === canvasHeight) return picture
  const out = plainPicture(canvasWidth, canvasHeight, picture.channels)
  const row = canvasWidth * picture.channels
  for (let y = 0; y < canvasHeight; y++) {
    const from = ((y + top) * picture.width + left) * picture.channels
    out.data.set(picture.data.subarray(from, from + row), y * row)
  }
  return out
}

import { isMiss } from '../picture/depth-miss.ts'
import type { Picture } from '../picture/picture.ts'
import { percentiles } from './draw.ts'
import { rulesOf, type PassKind } from './passes.ts'

/** A pass made readable for the eye, and the range its values lie in. */
export interface ReadablePass {
  /** Opaque 8-bit RGBA. */
  readonly codes: Uint8Array<ArrayBuffer>
  /** 1st and 99th percentile of the values that are there; both 0 where there are none. */
  readonly low: number
  readonly high: number
}

/**
 * Draws a pass so that it can be read by its kind: depth from near (dark) to far (bright) between its 1st and 99th percentile,
 * normals and positions as colours, motion as hue (way), brightness (length) and arrows, IDs as distinct colours, mattes as
 * grey, colour as on a screen.
 */
export function readablePass(picture: Picture, kind: PassKind): ReadablePass {
  const { width, height, channels } = picture
  const codes = new Uint8Array(width * height * 4)
  const [low, high] = percentiles(picture, 0, (v) => (isMiss(v) ? undefined : v))
  const draw = rulesOf(kind).draw(picture, low, high)
  for (let p = 0; p < width * height; p++) {
    codes.set(draw(p * channels), p * 4)
    codes[p * 4 + 3] = 255
  }
  rulesOf(kind).mark?.(codes, picture)
  return { codes, low, high }
}

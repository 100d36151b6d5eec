import { screenMatrix, type Looked } from './viewed.ts'
import type { Picture } from '../picture/picture.ts'

/** Sapphire, as 8-bit codes. */
const sapphire = [70, 120, 255] as const

/** Lays a matte over shown codes as translucent sapphire. */
export function overlayMatte(codes: Uint8Array, matte: Picture): void {
  for (let p = 0, i = 0; i < codes.length; p += matte.channels, i += 4) {
    const share = Math.min(1, Math.max(0, matte.data[p]!)) * 0.6
    for (let c = 0; c < 3; c++) codes[i + c] = codes[i + c]! + (sapphire[c]! - codes[i + c]!) * share
  }
}

/** As far as `share` towards other codes, in place. */
export function mixCodes(codes: Uint8Array, towards: Uint8Array, share: number): void {
  for (let i = 0; i < codes.length; i++) codes[i] = codes[i]! + (towards[i]! - codes[i]!) * share
}

/** Pixels that want a look: counted by kind. */
export interface Warnings {
  readonly bright: number
  readonly negative: number
  readonly alpha: number
}

/**
 * Marks in shown codes what a screen hides: light above 1 by stripes, colour that lies outside its gamut (negative in its primaries) in blue, alpha outside
 * 0–1 in red.
 * Gives back how many pixels of the picture are of each kind.
 */
export function markWarnings(codes: Uint8Array, picture: Picture, looked: Looked = {}): Warnings {
  const { width, data } = picture
  const m = screenMatrix(looked)
  const on = (row: number, r: number, g: number, b: number) =>
    m![row]! * r + m![row + 1]! * g + m![row + 2]! * b
  let [bright, negative, alpha] = [0, 0, 0]
  for (let i = 0; i < codes.length; i += 4) {
    const [red, green, blue, a] = [data[i]!, data[i + 1]!, data[i + 2]!, data[i + 3]!]
    const [r, g, b] = m
      ? [on(0, red, green, blue), on(4, red, green, blue), on(8, red, green, blue)]
      : [red, green, blue]
    const isStripe = (((i >> 2) % width) + Math.floor((i >> 2) / width)) % 6 < 3
    if (a < -1e-6 || a > 1 + 1e-6) {
      alpha++
      codes.set([235, 60, 60], i)
    } else if (r < -1e-6 || g < -1e-6 || b < -1e-6) {
      negative++
      codes.set([60, 90, 235], i)
    } else if (r > 1 || g > 1 || b > 1) {
      bright++
      if (isStripe) codes.set([20, 20, 20], i)
    }
  }
  return { bright, negative, alpha }
}

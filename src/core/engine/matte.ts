import type { Picture } from '../picture/picture.ts'
import { rec709, type WorkingSpace } from '../colour/working.ts'

/** Which part of a picture serves as matte; 'single' for pictures of one channel. */
export type MatteUse = 'alpha' | 'luminance' | 'red' | 'green' | 'blue' | 'single'

/** One channel, held in 0–1, from a picture; 1 − that where inverted. */
export function extractMatte(
  out: Picture,
  src: Picture,
  use: MatteUse,
  invert: boolean,
  { luminance }: WorkingSpace = rec709,
): void {
  const { data } = src
  const at = { alpha: 3, red: 0, green: 1, blue: 2, luminance: 0, single: 0 }[use]
  const stride = src.channels
  for (let i = 0, p = 0; i < out.data.length; i++, p += stride) {
    const value = use === 'luminance' ? luminance(data[p]!, data[p + 1]!, data[p + 2]!) : data[p + at]!
    const held = value < 0 ? 0 : value > 1 ? 1 : value
    out.data[i] = invert ? 1 - held : held
  }
}

/** Every factor-th pixel, from the middle of its block: for data, which must not be averaged. */
export function pickNearest(out: Picture, src: Picture, factor: number): void {
  const { channels } = out
  // By words, so that the bits of IDs stay what they are.
  const words = ({ data }: Picture) => new Uint32Array(data.buffer, data.byteOffset, data.length)
  const [to, from] = [words(out), words(src)]
  for (let y = 0; y < out.height; y++) {
    const sy = Math.min(src.height - 1, y * factor + (factor >> 1))
    for (let x = 0; x < out.width; x++) {
      const sx = Math.min(src.width - 1, x * factor + (factor >> 1))
      for (let c = 0; c < channels; c++)
        to[(y * out.width + x) * channels + c] = from[(sy * src.width + sx) * channels + c]!
    }
  }
}

/** The mean of factor × factor pixels of one channel. */
export function meanReduce(out: Picture, src: Picture, factor: number): void {
  for (let y = 0; y < out.height; y++)
    for (let x = 0; x < out.width; x++) {
      const [bottom, right] = [Math.min(src.height, (y + 1) * factor), Math.min(src.width, (x + 1) * factor)]
      let [sum, count] = [0, 0]
      for (let sy = y * factor; sy < bottom; sy++)
        for (let sx = x * factor; sx < right; sx++, count++) sum += src.data[sy * src.width + sx]!
      out.data[y * out.width + x] = sum / count
    }
}

/** Two mattes as one: the greater of both, their product, or the first where the second is not. */
export function combineMattes(
  out: Float32Array,
  a: Float32Array,
  b: Float32Array,
  by: 'union' | 'intersect' | 'subtract',
): void {
  for (let i = 0; i < out.length; i++) {
    const [x, y] = [a[i]!, b[i]!]
    out[i] = by === 'union' ? (x > y ? x : y) : x * (by === 'intersect' ? y : 1 - y)
  }
}

import type { Picture } from '../picture/picture.ts'
import { type Tap, weightsOf } from './line-profile.ts'

// Small maths that several plain twins share.

export const held = (i: number, n: number) => Math.min(n - 1, Math.max(0, i))

export const screen = (s: number, b: number) => (s > 1 || b > 1 ? Math.max(s, b) : s + b - s * b)

export function eachValue(out: Picture, value: (i: number, channel: number, pixel: number) => number): void {
  const { data, channels } = out
  for (let i = 0; i < data.length; i++) data[i] = value(i, i % channels, Math.floor(i / channels))
}

/** The sums of a line over a profile: the most direct way. */
export function along(line: readonly number[], taps: readonly Tap[] | undefined): number[] {
  const weights = taps ? weightsOf(taps) : []
  return line.map((_, x) => {
    let sum = 0
    for (let t = 0; t <= x && t < weights.length; t++) sum += weights[t]! * line[x - t]!
    return sum
  })
}

/** Between the centres of pixels, 0 outside. */
export function between(src: Picture, u: number, v: number, channel: number): number {
  const [x, y] = [Math.floor(u), Math.floor(v)]
  const at = (sx: number, sy: number) =>
    sx < 0 || sy < 0 || sx >= src.width || sy >= src.height
      ? 0
      : src.data[(sy * src.width + sx) * src.channels + channel]!
  const row = (sy: number) => at(x, sy) + (at(x + 1, sy) - at(x, sy)) * (u - x)
  return row(y) + (row(y + 1) - row(y)) * (v - y)
}

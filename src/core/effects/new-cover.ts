import { leastCover } from '../picture/colour.ts'
import type { Picture } from '../picture/picture.ts'

/**
 * A picture with another cover: its own straight colour where it had any, the mean of that elsewhere (white where there was
 * nothing at all).
 */
export function withCover(out: Picture, picture: Picture, cover: Picture): void {
  const { data } = picture
  const sums = [0, 0, 0, 0]
  for (let i = 0; i < data.length; i++) sums[i & 3]! += data[i]!
  const whole = sums[3]!
  const mean = [0, 1, 2].map((c) => (whole > leastCover ? sums[c]! / whole : 1))
  for (let i = 0; i < data.length; i += 4) {
    const [alpha, next] = [data[i + 3]!, cover.data[i >> 2]!]
    // Of next to no cover the colour is not known well enough.
    const factor = alpha > 1 / 512 ? next / alpha : 0
    for (let c = 0; c < 3; c++) out.data[i + c] = factor > 0 ? data[i + c]! * factor : mean[c]! * next
    out.data[i + 3] = next
  }
}

import type { Kernels } from '../kernels/kernels.ts'
import { leastCover } from '../picture/colour.ts'
import type { Picture } from '../picture/picture.ts'

/**
 * A picture with another cover: its own straight colour where it had any, the mean of that elsewhere (white where there was
 * nothing at all).
 */
export function withCover(out: Picture, picture: Picture, cover: Picture, kernels: Kernels): void {
  const [r, g, b, whole] = kernels.channelSums(picture)
  const isThere = whole > leastCover
  kernels.putCover(out, picture, cover, isThere ? [r / whole, g / whole, b / whole] : [1, 1, 1])
}

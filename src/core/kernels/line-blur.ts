import type { Picture } from '../picture/picture.ts'
import type { Workshop } from './pyramid.ts'

/**
 * The mean of the picture along a line through each pixel: angle in degrees clockwise from east, length in pixels, half of it to each
 * side; edges repeat. The cost hardly grows with the length. `out` is not `src`.
 */
export function lineBlur(
  out: Picture,
  src: Picture,
  angle: number,
  length: number,
  { kernels, store }: Workshop,
): void {
  const turn = (angle * Math.PI) / 180
  // Quarter turns are exact.
  const exact = (v: number) => (Math.abs(v - Math.round(v)) < 1e-12 ? Math.round(v) : v)
  const [cos, sin] = [exact(Math.cos(turn)), exact(Math.sin(turn))]
  if (!(length > 1e-3)) {
    out.data.set(src.data)
    return
  }
  const isSteep = Math.abs(sin) > Math.abs(cos)
  const slope = isSteep ? cos / sin : sin / cos
  const half = (length / 2) * Math.abs(isSteep ? sin : cos)
  const [along, across] = isSteep ? [src.height, src.width] : [src.width, src.height]
  const run = (along - 1) * slope
  const first = Math.floor(Math.min(0, -run)) - 2
  const count = Math.ceil(Math.max(0, -run)) + across + 3 - first
  const drawn = store.allocate(along, count, 4)
  const lines = { slope, first, isSteep }
  kernels.boxLines(drawn, src, lines, half, half)
  kernels.boxBack(out, drawn, lines)
  store.release(drawn)
}

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
  const from = isSteep ? store.allocate(src.height, src.width, 4) : src
  const to = isSteep ? store.allocate(src.height, src.width, 4) : out
  if (isSteep) kernels.transpose(from, src)
  const run = (from.width - 1) * slope
  const first = Math.floor(Math.min(0, -run)) - 2
  const count = Math.ceil(Math.max(0, -run)) + from.height + 3 - first
  const lines = store.allocate(from.width, count, 4)
  kernels.boxLines(lines, from, slope, first, half, half)
  kernels.boxBack(to, lines, slope, first)
  store.release(lines)
  if (!isSteep) return
  kernels.transpose(out, to)
  for (const picture of [from, to]) store.release(picture)
}

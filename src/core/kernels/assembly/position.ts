// @ts-nocheck: AssemblyScript, checked by its own compiler
import { exp2x4 } from './maths'

/** Depth from here on stands for "nothing was hit". */
const nothing: f32 = 1e30
const farthest: f32 = 3.4028234663852886e38

/** A surface is at a pixel: by its depth where there is one, else its position is not 0. */
@inline
function isThere(position: usize, depth: usize, i: usize): bool {
  if (depth) return load<f32>(depth + (i << 2)) < nothing
  const p = position + (i << 4)
  return load<f32>(p) != 0 || load<f32>(p, 4) != 0 || load<f32>(p, 8) != 0
}

/** Distances of surfaces from a point. */
export function distancesFrom(
  out: usize, position: usize, depth: usize, x: f32, y: f32, z: f32, width: i32, y0: i32, y1: i32,
): void {
  const end = (y1 * width) as usize
  for (let i = (y0 * width) as usize; i < end; i++) {
    const p = position + (i << 4)
    const dx = load<f32>(p) - x, dy = load<f32>(p, 4) - y, dz = load<f32>(p, 8) - z
    store<f32>(out + (i << 2), isThere(position, depth, i) ? sqrt<f32>(dx * dx + dy * dy + dz * dz) : farthest)
  }
}

/** What thins out above the ground, at four heights above it, and how much of it lies between the ground and there. */
@inline
function layer(height: v128, perThins: v128, thins: v128): v128 {
  const zero = f32x4.splat(0), one = f32x4.splat(1)
  const rest = exp2x4(f32x4.mul(f32x4.pmax(zero, height), perThins))
  return v128.bitselect(height, f32x4.mul(thins, f32x4.sub(one, rest)), f32x4.lt(height, zero))
}

/** Multiplies by the mean density, between the camera's height and the surface's, of what thins out above the ground. */
export function thinWithHeight(
  out: usize, src: usize, position: usize, depth: usize, axis: i32, camera: f32, ground: f32, thins: f32, width: i32, y0: i32, y1: i32,
): void {
  const end = (y1 * width) as usize
  // exp(−h / thins) as a power of 2.
  const perThins = f32x4.splat((-1.4426950408889634 as f32) / thins)
  const thins4 = f32x4.splat(thins), one = f32x4.splat(1), half = f32x4.splat(0.5), zero = f32x4.splat(0)
  const a = f32x4.splat(camera - ground)
  const belowA = layer(a, perThins, thins4)
  const offset = (axis as usize) << 2
  for (let i = (y0 * width) as usize; i < end; i += 4) {
    const count = min<usize>(4, end - i)
    const p = position + (i << 4) + offset
    let heights = f32x4.splat(load<f32>(p))
    if (count > 1) heights = f32x4.replace_lane(heights, 1, load<f32>(p, 16))
    if (count > 2) heights = f32x4.replace_lane(heights, 2, load<f32>(p, 32))
    if (count > 3) heights = f32x4.replace_lane(heights, 3, load<f32>(p, 48))
    const b = f32x4.sub(heights, f32x4.splat(ground))
    const way = f32x4.sub(b, a)
    const mean = f32x4.div(f32x4.sub(layer(b, perThins, thins4), belowA), way)
    // Level lines of sight: what lies at their height, as the quotient knows nothing of it.
    const middle = f32x4.mul(f32x4.add(a, b), half)
    const level = f32x4.pmin(one, exp2x4(f32x4.mul(f32x4.pmax(zero, middle), perThins)))
    const isLevel = f32x4.lt(f32x4.abs(way), f32x4.mul(thins4, f32x4.splat(0.01)))
    const density = v128.bitselect(level, mean, isLevel)
    for (let k: usize = 0; k < count; k++) {
      const at = (i + k) << 2
      const here = k == 0 ? f32x4.extract_lane(density, 0) : k == 1 ? f32x4.extract_lane(density, 1) : k == 2 ? f32x4.extract_lane(density, 2) : f32x4.extract_lane(density, 3)
      const own = load<f32>(src + at)
      store<f32>(out + at, isThere(position, depth, i + k) ? own * here : own)
    }
  }
}

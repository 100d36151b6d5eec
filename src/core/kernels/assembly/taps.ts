// @ts-nocheck: AssemblyScript, checked by its own compiler

// Light drawn out along lines. A line's samples become double cumulative sums, of which a piecewise linear profile
// is a few differences: the cost does not grow with the length. Sums are doubles, so that nothing stays behind a bright pixel.

@inline
export function mixed(a: v128, b: v128, part: v128): v128 {
  return f32x4.add(a, f32x4.mul(f32x4.sub(b, a), part))
}

/** Bytes of one sum: four doubles. */
export const sumShift = 5

@inline
export function low(v: v128): v128 {
  return f64x2.promote_low_f32x4(v)
}

@inline
export function high(v: v128): v128 {
  return f64x2.promote_low_f32x4(v128.shuffle<i64>(v, v, 1, 1))
}

/** Profile taps { offset: i32, weight: f64 at byte 8 } on the sums of a line: the value at `n`, where nothing before `start` counts, times a gain. */
@inline
export function tapped(sums: usize, taps: usize, count: i32, n: i32, start: i32, gain: f64): v128 {
  let lo = f64x2.splat(0)
  let hi = f64x2.splat(0)
  for (let k = 0; k < count; k++) {
    const at = n - load<i32>(taps + ((k as usize) << 4))
    if (at < start) break
    const weight = v128.load64_splat(taps + ((k as usize) << 4), 8)
    const sum = sums + ((at as usize) << sumShift)
    lo = f64x2.add(lo, f64x2.mul(v128.load(sum), weight))
    hi = f64x2.add(hi, f64x2.mul(v128.load(sum, 16), weight))
  }
  const factor = f64x2.splat(gain)
  lo = f64x2.mul(lo, factor)
  hi = f64x2.mul(hi, factor)
  return v128.shuffle<f32>(f32x4.demote_f64x2_zero(lo), f32x4.demote_f64x2_zero(hi), 0, 1, 4, 5)
}

/** The same with taps of its own for each of red, green and blue, one table after the other. */
export function tappedByChannel(sums: usize, taps: usize, count: i32, n: i32): v128 {
  let result = f32x4.splat(0)
  for (let c = 0; c < 3; c++) {
    const own = taps + (((c * count) as usize) << 4)
    let sum: f64 = 0
    for (let k = 0; k < count; k++) {
      const at = n - load<i32>(own + ((k as usize) << 4))
      if (at < 0) break
      sum += load<f64>(own + ((k as usize) << 4), 8) * load<f64>(sums + ((at as usize) << sumShift) + ((c as usize) << 3))
    }
    if (c == 0) result = f32x4.replace_lane(result, 0, sum as f32)
    else if (c == 1) result = f32x4.replace_lane(result, 1, sum as f32)
    else result = f32x4.replace_lane(result, 2, sum as f32)
  }
  return result
}

/** Adds weighed light to where a line bends. */
@inline
export function bendAt(bends: usize, n: i32, lo: v128, hi: v128, weight: f64): void {
  const at = bends + ((n as usize) << sumShift)
  const w = f64x2.splat(weight)
  v128.store(at, f64x2.add(v128.load(at), f64x2.mul(lo, w)))
  v128.store(at, f64x2.add(v128.load(at, 16), f64x2.mul(hi, w)), 16)
}

/** The farthest tap of tables; what only fills them up counts nothing. */
@inline
export function farthestTap(taps: usize, count: i32): i32 {
  let farthest = 0
  for (let k = 0; k < count; k++) {
    const offset = load<i32>(taps + ((k as usize) << 4))
    if (offset < 1000000000) farthest = max<i32>(farthest, offset)
  }
  return farthest
}

/** Samples along a slanted line lie far apart in memory: lines are taken together, a few columns at a time. */
export const block = 32

/** Side of the tiles by which it is known where there is light, as a power of two; as long as what is sampled of a ray at a time, and longer. */
export const tileShift = 6

/** Whether there may be light on a piece of a ray, no longer than a tile, from one point to another. */
@inline
export function isLit(tiles: usize, across: i32, down: i32, u0: f64, v0: f64, u1: f64, v1: f64): bool {
  const left = max<i32>(0, (Math.floor(min<f64>(u0, u1)) as i32) >> tileShift), right = min<i32>(across - 1, ((Math.floor(max<f64>(u0, u1)) as i32) + 1) >> tileShift)
  const top = max<i32>(0, (Math.floor(min<f64>(v0, v1)) as i32) >> tileShift), bottom = min<i32>(down - 1, ((Math.floor(max<f64>(v0, v1)) as i32) + 1) >> tileShift)
  for (let y = top; y <= bottom; y++)
    for (let x = left; x <= right; x++) if (load<f32>(tiles + (((y * across + x) as usize) << 2)) != 0) return true
  return false
}

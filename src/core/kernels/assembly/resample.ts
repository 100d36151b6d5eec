// @ts-nocheck: AssemblyScript, checked by its own compiler
import { betweenFour } from './cubic'

/** Filters by their number in kernels.ts: nearest, bilinear, cubic (Catmull–Rom), Lanczos of three lobes. */
@inline
function weightOf(filter: i32, x: f32): f32 {
  const a = abs<f32>(x)
  if (filter == 1) return a < 1 ? 1 - a : 0
  if (filter == 2) {
    if (a < 1) return (1.5 * a - 2.5) * a * a + 1
    return a < 2 ? ((-0.5 * a + 2.5) * a - 4) * a + 2 : 0
  }
  if (a < 1e-4) return 1
  if (a >= 3) return 0
  const p: f32 = 3.14159265358979 * a
  return (3 * NativeMathf.sin(p) * NativeMathf.sin(p / 3)) / (p * p)
}

/** One pixel by its place in `src`, wherever that is; the filter is `su` and `sv` times as wide as pixels. */
function resampleOne(at: usize, src: usize, u: f32, v: f32, filter: i32, su: f32, sv: f32, sw: i32, sh: i32): void {
  let sum = f32x4.splat(0)
  if (filter == 0) {
    const sx = floor<f32>(u), sy = floor<f32>(v)
    if (sx >= 0 && sy >= 0 && sx < (sw as f32) && sy < (sh as f32))
      sum = v128.load(src + ((((sy as i32) * sw + (sx as i32)) as usize) << 4))
    v128.store(at, sum)
    return
  }
  const reach: f32 = filter == 1 ? 1 : filter == 2 ? 2 : 3
  const ru = reach * su, rv = reach * sv
  if (u + ru < 0 || v + rv < 0 || u - ru > (sw as f32) || v - rv > (sh as f32)) {
    v128.store(at, sum)
    return
  }
  const left = ceil<f32>(u - ru - 0.5) as i32, right = floor<f32>(u + ru - 0.5) as i32
  const top = ceil<f32>(v - rv - 0.5) as i32, bottom = floor<f32>(v + rv - 0.5) as i32
  let total: f32 = 0
  for (let sy = top; sy <= bottom; sy++) {
    const wy = weightOf(filter, ((sy as f32) + 0.5 - v) / sv)
    if (wy == 0) continue
    for (let sx = left; sx <= right; sx++) {
      const w = wy * weightOf(filter, ((sx as f32) + 0.5 - u) / su)
      total += w
      if (sx >= 0 && sy >= 0 && sx < sw && sy < sh)
        sum = f32x4.add(sum, f32x4.mul(v128.load(src + (((sy * sw + sx) as usize) << 4)), f32x4.splat(w)))
    }
  }
  v128.store(at, total != 0 ? f32x4.mul(sum, f32x4.splat(1 / total)) : sum)
}

/** See Kernels.resample. The matrix takes centres of `out` to places in `src`: u = a·x + b·y + c, v = d·x + e·y + f. */
export function resample(
  out: usize, src: usize, a: f32, b: f32, c: f32, d: f32, e: f32, f: f32, filter: i32, sw: i32, sh: i32, ow: i32, y0: i32, y1: i32,
): void {
  // Where the source is made smaller the filter grows with it, so that nothing is skipped.
  const su = max<f32>(1, sqrt<f32>(a * a + b * b))
  const sv = max<f32>(1, sqrt<f32>(d * d + e * e))
  // Not made smaller: four weights each way.
  const isPlain = filter == 2 && su <= 1 && sv <= 1
  const half = f32x4.splat(0.5)
  for (let y = y0; y < y1; y++) {
    const py = (y as f32) + 0.5
    let x = 0
    for (; x + 4 <= ow; x += 4) {
      const at = out + (((y * ow + x) as usize) << 4)
      if (isPlain) {
        const px = f32x4.add(f32x4.splat(x as f32), f32x4(0.5, 1.5, 2.5, 3.5))
        const u = f32x4.add(f32x4.add(f32x4.mul(f32x4.splat(a), px), f32x4.splat(b * py)), f32x4.splat(c))
        const v = f32x4.add(f32x4.add(f32x4.mul(f32x4.splat(d), px), f32x4.splat(e * py)), f32x4.splat(f))
        if (betweenFour(at, src, f32x4.sub(u, half), f32x4.sub(v, half), sw, sh)) continue
      }
      for (let k = 0; k < 4; k++) {
        const px = ((x + k) as f32) + 0.5
        resampleOne(at + ((k as usize) << 4), src, a * px + b * py + c, d * px + e * py + f, filter, su, sv, sw, sh)
      }
    }
    for (; x < ow; x++) {
      const px = (x as f32) + 0.5
      resampleOne(out + (((y * ow + x) as usize) << 4), src, a * px + b * py + c, d * px + e * py + f, filter, su, sv, sw, sh)
    }
  }
}

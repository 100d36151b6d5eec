// @ts-nocheck: AssemblyScript, checked by its own compiler
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

/** Catmull–Rom weights of the outer and the inner neighbour at a fraction of a pixel. */
@inline
function cubic0(t: f32): f32 {
  return ((-0.5 * t + 1) * t - 0.5) * t
}
@inline
function cubic1(t: f32): f32 {
  return (1.5 * t - 2.5) * t * t + 1
}
@inline
function across(row: usize, x0: v128, x1: v128, x2: v128, x3: v128): v128 {
  return f32x4.add(
    f32x4.add(f32x4.mul(v128.load(row), x0), f32x4.mul(v128.load(row + 16), x1)),
    f32x4.add(f32x4.mul(v128.load(row + 32), x2), f32x4.mul(v128.load(row + 48), x3)),
  )
}

/** See Kernels.resample. The matrix takes centres of `out` to places in `src`: u = a·x + b·y + c, v = d·x + e·y + f. */
export function resample(
  out: usize, src: usize, a: f32, b: f32, c: f32, d: f32, e: f32, f: f32, filter: i32, sw: i32, sh: i32, ow: i32, y0: i32, y1: i32,
): void {
  // Where the source is made smaller the filter grows with it, so that nothing is skipped.
  const su = max<f32>(1, sqrt<f32>(a * a + b * b))
  const sv = max<f32>(1, sqrt<f32>(d * d + e * e))
  const isPlain = filter == 2 && su <= 1 && sv <= 1
  const reach: f32 = filter == 1 ? 1 : filter == 2 ? 2 : 3
  for (let y = y0; y < y1; y++) {
    for (let x = 0; x < ow; x++) {
      const px = (x as f32) + 0.5, py = (y as f32) + 0.5
      const u = a * px + b * py + c
      const v = d * px + e * py + f
      const at = out + (((y * ow + x) as usize) << 4)
      let sum = f32x4.splat(0)
      if (filter == 0) {
        const sx = floor<f32>(u), sy = floor<f32>(v)
        if (sx >= 0 && sy >= 0 && sx < (sw as f32) && sy < (sh as f32))
          sum = v128.load(src + ((((sy as i32) * sw + (sx as i32)) as usize) << 4))
        v128.store(at, sum)
        continue
      }
      const ru = reach * su, rv = reach * sv
      if (u + ru < 0 || v + rv < 0 || u - ru > (sw as f32) || v - rv > (sh as f32)) {
        v128.store(at, sum)
        continue
      }
      if (isPlain) {
        // Not made smaller and all inside: four weights each way, no bounds.
        const bx = floor<f32>(u - 0.5), by = floor<f32>(v - 0.5)
        const ix = bx as i32, iy = by as i32
        if (ix >= 1 && iy >= 1 && ix + 2 < sw && iy + 2 < sh) {
          const fx = u - 0.5 - bx, fy = v - 0.5 - by
          const x0 = f32x4.splat(cubic0(fx)), x1 = f32x4.splat(cubic1(fx)), x2 = f32x4.splat(cubic1(1 - fx)), x3 = f32x4.splat(cubic0(1 - fx))
          const row = src + ((((iy - 1) * sw + ix - 1) as usize) << 4)
          const step = (sw as usize) << 4
          sum = f32x4.mul(across(row, x0, x1, x2, x3), f32x4.splat(cubic0(fy)))
          sum = f32x4.add(sum, f32x4.mul(across(row + step, x0, x1, x2, x3), f32x4.splat(cubic1(fy))))
          sum = f32x4.add(sum, f32x4.mul(across(row + 2 * step, x0, x1, x2, x3), f32x4.splat(cubic1(1 - fy))))
          sum = f32x4.add(sum, f32x4.mul(across(row + 3 * step, x0, x1, x2, x3), f32x4.splat(cubic0(1 - fy))))
          v128.store(at, sum)
          continue
        }
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
  }
}

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

/** One pixel between four, by how far it lies from the first of them; all inside. */
@inline
function betweenTwoByTwo(at: usize, src: usize, u: f32, v: f32, stride: usize): void {
  const wholeX = floor<f32>(u), wholeY = floor<f32>(v)
  const tx = f32x4.splat(u - wholeX), ty = f32x4.splat(v - wholeY)
  const restX = f32x4.splat(1 - (u - wholeX)), restY = f32x4.splat(1 - (v - wholeY))
  const from = src + (wholeY as i32 as usize) * stride + ((wholeX as i32 as usize) << 4)
  const above = f32x4.add(f32x4.mul(v128.load(from), restX), f32x4.mul(v128.load(from, 16), tx))
  const below = f32x4.add(f32x4.mul(v128.load(from + stride), restX), f32x4.mul(v128.load(from + stride, 16), tx))
  v128.store(at, f32x4.add(f32x4.mul(above, restY), f32x4.mul(below, ty)))
}

/** Moved by whole pixels: a copy, black where nothing comes from. */
function moved(out: usize, src: usize, byX: i32, byY: i32, sw: i32, sh: i32, ow: i32, y0: i32, y1: i32): void {
  const x0 = min<i32>(ow, max<i32>(0, -byX)), x1 = max<i32>(x0, min<i32>(ow, sw - byX))
  for (let y = y0; y < y1; y++) {
    const target = out + (((y * ow) as usize) << 4)
    const sy = y + byY
    if (sy < 0 || sy >= sh || x0 == x1) {
      memory.fill(target, 0, (ow as usize) << 4)
      continue
    }
    memory.fill(target, 0, (x0 as usize) << 4)
    memory.copy(target + ((x0 as usize) << 4), src + (((sy * sw + x0 + byX) as usize) << 4), ((x1 - x0) as usize) << 4)
    memory.fill(target + ((x1 as usize) << 4), 0, ((ow - x1) as usize) << 4)
  }
}

/** See Kernels.resample. The matrix takes centres of `out` to places in `src`: u = a·x + b·y + c, v = d·x + e·y + f. */
export function resample(
  out: usize, src: usize, a: f32, b: f32, c: f32, d: f32, e: f32, f: f32, filter: i32, sw: i32, sh: i32, ow: i32, y0: i32, y1: i32,
): void {
  if (a == 1 && b == 0 && d == 0 && e == 1 && c == floor<f32>(c) && f == floor<f32>(f) && abs<f32>(c) < 1e6 && abs<f32>(f) < 1e6) {
    moved(out, src, c as i32, f as i32, sw, sh, ow, y0, y1)
    return
  }
  // Where the source is made smaller the filter grows with it, so that nothing is skipped.
  const su = max<f32>(1, sqrt<f32>(a * a + b * b))
  const sv = max<f32>(1, sqrt<f32>(d * d + e * e))
  // Not made smaller: two or four weights each way.
  const isPlain = su <= 1 && sv <= 1
  const isCubic = isPlain && filter == 2, isLinear = isPlain && filter == 1
  const half = f32x4.splat(0.5)
  const stride = (sw as usize) << 4
  const lastX = (sw - 1) as f32, lastY = (sh - 1) as f32
  for (let y = y0; y < y1; y++) {
    const py = (y as f32) + 0.5
    for (let x = 0; x < ow; ) {
      const at = out + (((y * ow + x) as usize) << 4)
      let count = 1
      if (isCubic && x + 4 <= ow) {
        count = 4
        const px = f32x4.add(f32x4.splat(x as f32), f32x4(0.5, 1.5, 2.5, 3.5))
        const u = f32x4.add(f32x4.add(f32x4.mul(f32x4.splat(a), px), f32x4.splat(b * py)), f32x4.splat(c))
        const v = f32x4.add(f32x4.add(f32x4.mul(f32x4.splat(d), px), f32x4.splat(e * py)), f32x4.splat(f))
        if (betweenFour(at, src, f32x4.sub(u, half), f32x4.sub(v, half), sw, sh)) count = 0
      }
      for (let k = 0; k < count; k++) {
        const px = ((x + k) as f32) + 0.5
        const u: f32 = a * px + b * py + c, v: f32 = d * px + e * py + f
        const to = at + ((k as usize) << 4)
        if (isLinear && u >= 0.5 && v >= 0.5 && u - 0.5 < lastX && v - 0.5 < lastY)
          betweenTwoByTwo(to, src, u - 0.5, v - 0.5, stride)
        else resampleOne(to, src, u, v, filter, su, sv, sw, sh)
      }
      x += count == 0 ? 4 : count
    }
  }
}

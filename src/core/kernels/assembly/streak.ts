// @ts-nocheck: AssemblyScript, checked by its own compiler
import { hand } from './hand'

// Light drawn out along lines. A line's samples become double cumulative sums, of which a piecewise linear profile
// is a few differences: the cost does not grow with the length. Sums are doubles, so that nothing stays behind a bright pixel.

/** Bytes of one sum: four doubles. */
const sumShift = 5

@inline
function low(v: v128): v128 {
  return f64x2.promote_low_f32x4(v)
}

@inline
function high(v: v128): v128 {
  return f64x2.promote_low_f32x4(v128.shuffle<i64>(v, v, 1, 1))
}

/** Profile taps { offset as f64, weight as f64 } on the sums of a line: the value at `n`, where nothing before `start` counts, times a gain. */
@inline
function tapped(sums: usize, taps: usize, count: i32, n: i32, start: i32, gain: f64): v128 {
  let lo = f64x2.splat(0)
  let hi = f64x2.splat(0)
  for (let k = 0; k < count; k++) {
    const at = n - (load<f64>(taps + ((k as usize) << 4)) as i32)
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
function tappedByChannel(sums: usize, taps: usize, count: i32, n: i32): v128 {
  let result = f32x4.splat(0)
  for (let c = 0; c < 3; c++) {
    const own = taps + (((c * count) as usize) << 4)
    let sum: f64 = 0
    for (let k = 0; k < count; k++) {
      const at = n - (load<f64>(own + ((k as usize) << 4)) as i32)
      if (at < 0) break
      sum += load<f64>(own + ((k as usize) << 4), 8) * load<f64>(sums + ((at as usize) << sumShift) + ((c as usize) << 3))
    }
    if (c == 0) result = f32x4.replace_lane(result, 0, sum as f32)
    else if (c == 1) result = f32x4.replace_lane(result, 1, sum as f32)
    else result = f32x4.replace_lane(result, 2, sum as f32)
  }
  return result
}

/** First x (from) or one past the last (to) where −1 < c + x·slope < height. */
@inline
function firstInside(c: f64, slope: f64, width: i32, height: i32): i32 {
  if (slope == 0) return c > -1 && c < height ? 0 : width
  const edge = slope > 0 ? (-1 - c) / slope : ((height as f64) - c) / slope
  return max<i32>(0, min<i32>(width, (Math.floor(edge) as i32) + 1))
}

@inline
function lastInside(c: f64, slope: f64, width: i32, height: i32): i32 {
  if (slope == 0) return c > -1 && c < height ? width : 0
  const edge = slope > 0 ? ((height as f64) - c) / slope : (-1 - c) / slope
  return max<i32>(0, min<i32>(width, (Math.ceil(edge) as i32)))
}

export function streakLines(
  out: usize, src: usize, scratch: usize, scratchBytes: i32, ahead: usize, aheadCount: i32, behind: usize, behindCount: i32,
  byChannel: i32, slope: f64, first: f64, width: i32, height: i32, y0: i32, y1: i32,
): void {
  const line = scratch + ((hand * scratchBytes) as usize)
  const sums = line + ((width as usize) << 4)
  const stride = (width as usize) << 4
  const zero = f32x4.splat(0)
  for (let row = y0; row < y1; row++) {
    const c = first + (row as f64)
    const target = out + (row as usize) * stride
    memory.fill(target, 0, stride)
    const from = firstInside(c, slope, width, height)
    const to = lastInside(c, slope, width, height)
    const count = to - from
    if (count <= 0) continue
    let seen = zero
    for (let x = from; x < to; x++) {
      const y = c + (x as f64) * slope
      const fy = Math.floor(y)
      const upper = fy as i32
      const part = f32x4.splat((y - fy) as f32)
      const at = src + (((upper * width + x) as usize) << 4)
      const a = upper >= 0 && upper < height ? v128.load(at) : zero
      const b = upper >= -1 && upper < height - 1 ? v128.load(at + stride) : zero
      const value = f32x4.add(a, f32x4.mul(f32x4.sub(b, a), part))
      seen = v128.or(seen, value)
      v128.store(line + (((x - from) as usize) << 4), value)
    }
    if (!v128.any_true(seen)) continue
    if (aheadCount > 0) {
      let lo = f64x2.splat(0), hi = f64x2.splat(0), lo2 = f64x2.splat(0), hi2 = f64x2.splat(0)
      for (let i = 0; i < count; i++) {
        const value = v128.load(line + ((i as usize) << 4))
        lo = f64x2.add(lo, low(value))
        hi = f64x2.add(hi, high(value))
        lo2 = f64x2.add(lo2, lo)
        hi2 = f64x2.add(hi2, hi)
        v128.store(sums + ((i as usize) << sumShift), lo2)
        v128.store(sums + ((i as usize) << sumShift), hi2, 16)
      }
      for (let i = 0; i < count; i++)
        v128.store(
          target + (((from + i) as usize) << 4),
          byChannel ? tappedByChannel(sums, ahead, aheadCount, i) : tapped(sums, ahead, aheadCount, i, 0, 1),
        )
    }
    if (behindCount > 0) {
      let lo = f64x2.splat(0), hi = f64x2.splat(0), lo2 = f64x2.splat(0), hi2 = f64x2.splat(0)
      for (let i = 0; i < count; i++) {
        const value = v128.load(line + (((count - 1 - i) as usize) << 4))
        lo = f64x2.add(lo, low(value))
        hi = f64x2.add(hi, high(value))
        lo2 = f64x2.add(lo2, lo)
        hi2 = f64x2.add(hi2, hi)
        v128.store(sums + ((i as usize) << sumShift), lo2)
        v128.store(sums + ((i as usize) << sumShift), hi2, 16)
      }
      for (let i = 0; i < count; i++) {
        const at = target + (((to - 1 - i) as usize) << 4)
        const value = byChannel ? tappedByChannel(sums, behind, behindCount, i) : tapped(sums, behind, behindCount, i, 0, 1)
        v128.store(at, f32x4.add(v128.load(at), value))
      }
    }
  }
}

export function streakBack(
  out: usize, lines: usize, slope: f64, first: f64, count: i32, gain: f32, width: i32, y0: i32, y1: i32,
): void {
  const factor = f32x4.splat(gain)
  const stride = (width as usize) << 4
  for (let y = y0; y < y1; y++) {
    const target = out + ((y * width) as usize << 4)
    for (let x = 0; x < width; x++) {
      const c = (y as f64) - (x as f64) * slope - first
      const whole = min<i32>(count - 2, max<i32>(0, Math.floor(c) as i32))
      const part = f32x4.splat((c - (whole as f64)) as f32)
      const at = lines + (whole as usize) * stride + ((x as usize) << 4)
      const a = v128.load(at)
      const b = v128.load(at + stride)
      const value = f32x4.add(a, f32x4.mul(f32x4.sub(b, a), part))
      const place = target + ((x as usize) << 4)
      v128.store(place, f32x4.add(v128.load(place), f32x4.mul(value, factor)))
    }
  }
}

/** Rows of `out` are columns of `src`, in blocks so that both stay in the cache. */
export function transpose(out: usize, src: usize, outWidth: i32, outHeight: i32, y0: i32, y1: i32): void {
  for (let top = y0; top < y1; top += 8) {
    const bottom = min<i32>(y1, top + 8)
    for (let x = 0; x < outWidth; x++) {
      const from = src + (((x * outHeight) as usize) << 4)
      for (let y = top; y < bottom; y++)
        v128.store(out + (((y * outWidth + x) as usize) << 4), v128.load(from + ((y as usize) << 4)))
    }
  }
}

@inline
function at4(src: usize, x: i32, y: i32, width: i32, height: i32): v128 {
  return x >= 0 && y >= 0 && x < width && y < height ? v128.load(src + (((y * width + x) as usize) << 4)) : f32x4.splat(0)
}

@inline
function mixed(a: v128, b: v128, part: v128): v128 {
  return f32x4.add(a, f32x4.mul(f32x4.sub(b, a), part))
}

/** Between the centres of pixels; empty outside. */
@inline
function between4(src: usize, u: f64, v: f64, width: i32, height: i32): v128 {
  const fu = Math.floor(u)
  const fv = Math.floor(v)
  const x = fu as i32
  const y = fv as i32
  const px = f32x4.splat((u - fu) as f32)
  const py = f32x4.splat((v - fv) as f32)
  if (x >= 0 && y >= 0 && x < width - 1 && y < height - 1) {
    const at = src + (((y * width + x) as usize) << 4)
    const below = at + ((width as usize) << 4)
    return mixed(mixed(v128.load(at), v128.load(at, 16), px), mixed(v128.load(below), v128.load(below, 16), px), py)
  }
  return mixed(
    mixed(at4(src, x, y, width, height), at4(src, x + 1, y, width, height), px),
    mixed(at4(src, x, y + 1, width, height), at4(src, x + 1, y + 1, width, height), px),
    py,
  )
}

@inline
function at1(src: usize, x: i32, y: i32, width: i32, height: i32): f32 {
  return x >= 0 && y >= 0 && x < width && y < height ? load<f32>(src + (((y * width + x) as usize) << 2)) : 0
}

@inline
function between1(src: usize, u: f64, v: f64, width: i32, height: i32): f64 {
  const fu = Math.floor(u)
  const fv = Math.floor(v)
  const x = fu as i32
  const y = fv as i32
  const px = (u - fu) as f32
  const a = at1(src, x, y, width, height)
  const b = at1(src, x, y + 1, width, height)
  const top = a + (at1(src, x + 1, y, width, height) - a) * px
  const bottom = b + (at1(src, x + 1, y + 1, width, height) - b) * px
  return (top + (bottom - top) * ((v - fv) as f32)) as f64
}

/** Rays are drawn this far out of the picture, for the pixels at its edge that lie between two of them. */
const beside: f64 = 3

/** `geometry`: origin x, origin y, first angle, step of angle, first radius, as doubles. `gains`: one float a ray. */
export function rayLines(
  out: usize, light: usize, occluder: usize, scratch: usize, scratchBytes: i32, taps: usize, tapCount: i32, gains: usize,
  geometry: usize, length: i32, width: i32, height: i32, y0: i32, y1: i32,
): void {
  const sums = scratch + ((hand * scratchBytes) as usize)
  const ox = load<f64>(geometry)
  const oy = load<f64>(geometry, 8)
  const radius0 = load<f64>(geometry, 32)
  for (let row = y0; row < y1; row++) {
    const angle = load<f64>(geometry, 16) + (row as f64) * load<f64>(geometry, 24)
    const cos = NativeMath.cos(angle)
    const sin = NativeMath.sin(angle)
    const target = out + (((row * length) as usize) << 4)
    memory.fill(target, 0, (length as usize) << 4)
    // Where the ray is in the picture, with a little around it.
    let near: f64 = 0
    let far: f64 = Infinity
    if (Math.abs(cos) > 1e-12) {
      const a = (-beside - ox) / cos
      const b = ((width as f64) + beside - ox) / cos
      near = max<f64>(near, min<f64>(a, b))
      far = min<f64>(far, max<f64>(a, b))
    } else if (ox < -beside || ox > (width as f64) + beside) continue
    if (Math.abs(sin) > 1e-12) {
      const a = (-beside - oy) / sin
      const b = ((height as f64) + beside - oy) / sin
      near = max<f64>(near, min<f64>(a, b))
      far = min<f64>(far, max<f64>(a, b))
    } else if (oy < -beside || oy > (height as f64) + beside) continue
    const from = max<i32>(0, (Math.floor(near - radius0) as i32) - 1)
    const to = min<i32>(length, (Math.ceil(min<f64>(far - radius0, length as f64)) as i32) + 2)
    const gain = f32x4.splat(load<f32>(gains + ((row as usize) << 2)))
    let lo = f64x2.splat(0), hi = f64x2.splat(0), lo2 = f64x2.splat(0), hi2 = f64x2.splat(0)
    let start = from
    let open: f64 = 1
    for (let i = from; i < to; i++) {
      const r = radius0 + (i as f64)
      const u = ox + cos * r - 0.5
      const v = oy + sin * r - 0.5
      const value = between4(light, u, v, width, height)
      let a = low(value)
      let b = high(value)
      if (occluder) {
        const passed = 1 - min<f64>(1, max<f64>(0, between1(occluder, u, v, width, height)))
        open *= passed
        if (passed < 1e-9) {
          // Nothing from before gets here.
          start = i
          open = 1
          lo = hi = lo2 = hi2 = f64x2.splat(0)
        } else if (open < 1e-200) {
          // What came from before is counted anew, so that the sums stay in the range of doubles.
          const scale = f64x2.splat(open)
          for (let k = start; k < i; k++) {
            const at = sums + ((k as usize) << sumShift)
            v128.store(at, f64x2.mul(v128.load(at), scale))
            v128.store(at, f64x2.mul(v128.load(at, 16), scale), 16)
          }
          lo = f64x2.mul(lo, scale)
          hi = f64x2.mul(hi, scale)
          lo2 = f64x2.mul(lo2, scale)
          hi2 = f64x2.mul(hi2, scale)
          open = 1
        }
        const more = f64x2.splat(1 / open)
        a = f64x2.mul(a, more)
        b = f64x2.mul(b, more)
      }
      lo = f64x2.add(lo, a)
      hi = f64x2.add(hi, b)
      lo2 = f64x2.add(lo2, lo)
      hi2 = f64x2.add(hi2, hi)
      v128.store(sums + ((i as usize) << sumShift), lo2)
      v128.store(sums + ((i as usize) << sumShift), hi2, 16)
      const drawn = tapped(sums, taps, tapCount, i, start, open)
            v128.store(target + ((i as usize) << 4), f32x4.mul(drawn, gain))
    }
  }
}

/** atan of 0–1 within 1e-5. Source: minimax polynomial of degree 11. */
@inline
function arcTangent(z: f64): f64 {
  const q = z * z
  return z * (0.99997726 + q * (-0.33262347 + q * (0.19354346 + q * (-0.11643287 + q * (0.05265332 - q * 0.0117212)))))
}

@inline
function angleOf(y: f64, x: f64): f64 {
  const ax = Math.abs(x)
  const ay = Math.abs(y)
  const most = max<f64>(ax, ay)
  if (most == 0) return 0
  let angle = arcTangent(min<f64>(ax, ay) / most)
  if (ay > ax) angle = 1.5707963267948966 - angle
  if (x < 0) angle = 3.141592653589793 - angle
  return y < 0 ? -angle : angle
}

export function rayBack(
  out: usize, rays: usize, geometry: usize, count: i32, length: i32, isRound: i32, gain: f32, width: i32, y0: i32, y1: i32,
): void {
  const ox = load<f64>(geometry)
  const oy = load<f64>(geometry, 8)
  const angle0 = load<f64>(geometry, 16)
  const perStep = 1 / load<f64>(geometry, 24)
  const radius0 = load<f64>(geometry, 32)
  const factor = f32x4.splat(gain)
  const turn = 6.283185307179586
  for (let y = y0; y < y1; y++) {
    for (let x = 0; x < width; x++) {
      const dx = (x as f64) + 0.5 - ox
      const dy = (y as f64) + 0.5 - oy
      let angle = angleOf(dy, dx) - angle0
      if (angle < 0) angle += turn
      else if (angle >= turn) angle -= turn
      const u = Math.sqrt(dx * dx + dy * dy) - radius0
      const v = angle * perStep
      const fu = Math.floor(u)
      const fv = Math.floor(v)
      const px = f32x4.splat((u - fu) as f32)
      const py = f32x4.splat((v - fv) as f32)
      const column = max<i32>(0, min<i32>(length - 2, fu as i32))
      let upper = fv as i32
      let lower = upper + 1
      if (isRound) {
        if (upper >= count) upper -= count
        if (lower >= count) lower -= count
      } else {
        upper = max<i32>(0, min<i32>(count - 1, upper))
        lower = max<i32>(0, min<i32>(count - 1, lower))
      }
      const a = rays + (((upper * length + column) as usize) << 4)
      const b = rays + (((lower * length + column) as usize) << 4)
      const value = mixed(mixed(v128.load(a), v128.load(a, 16), px), mixed(v128.load(b), v128.load(b, 16), px), py)
      v128.store(out + (((y * width + x) as usize) << 4), f32x4.mul(value, factor))
    }
  }
}

/** Colour through black, white and gamma on its luminance: y' = ((y − black) / (white − black))^(1 / gamma). */
export function lightLevels(out: usize, src: usize, black: f32, white: f32, power: f32, width: i32, y0: i32, y1: i32): void {
  const end: usize = (y1 * width) as usize
  const span: f32 = 1.0 / (white - black)
  for (let i: usize = (y0 * width) as usize; i < end; i++) {
    const at = src + (i << 4)
    const p = v128.load(at)
    const y: f32 = (0.2126 as f32) * load<f32>(at) + (0.7152 as f32) * load<f32>(at, 4) + (0.0722 as f32) * load<f32>(at, 8)
    const level: f32 = (y - black) * span
    if (y > 0 && level > 0) {
      const wanted: f32 = power == 1 ? level : NativeMathf.pow(level, power)
      v128.store(out + (i << 4), f32x4.replace_lane(f32x4.mul(p, f32x4.splat(wanted / y)), 3, 0))
    } else v128.store(out + (i << 4), f32x4.splat(0))
  }
}

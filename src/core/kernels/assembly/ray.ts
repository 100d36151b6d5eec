// @ts-nocheck: AssemblyScript, checked by its own compiler
import { exp2x4, log2x4 } from './maths'
import { bendAt, block, high, isLit, low, mixed, sumShift, tapped, tileShift } from './taps'
import { thread } from './thread'

// Rays out of a point: light along lines of polar coordinates.

@inline
function at4(src: usize, x: i32, y: i32, width: i32, height: i32): v128 {
  return x >= 0 && y >= 0 && x < width && y < height ? v128.load(src + (((y * width + x) as usize) << 4)) : f32x4.splat(0)
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

/** First (or one past the last) sample of a ray that lies in the picture, with a little around it. */
@inline
function rayRange(ox: f64, oy: f64, cos: f64, sin: f64, radius0: f64, length: i32, width: i32, height: i32): i64 {
  let near: f64 = 0
  let far: f64 = 1e9
  if (Math.abs(cos) > 1e-12) {
    const a = (-beside - ox) / cos
    const b = ((width as f64) + beside - ox) / cos
    near = max<f64>(near, min<f64>(a, b))
    far = min<f64>(far, max<f64>(a, b))
  } else if (ox < -beside || ox > (width as f64) + beside) return 0
  if (Math.abs(sin) > 1e-12) {
    const a = (-beside - oy) / sin
    const b = ((height as f64) + beside - oy) / sin
    near = max<f64>(near, min<f64>(a, b))
    far = min<f64>(far, max<f64>(a, b))
  } else if (oy < -beside || oy > (height as f64) + beside) return 0
  const from = max<i32>(0, (Math.floor(near - radius0) as i32) - 1)
  const to = min<i32>(length, (Math.ceil(far - radius0) as i32) + 2)
  return from < to ? ((from as i64) << 32) | (to as i64) : 0
}

/** How often light is halved in a pixel that takes a share of it: −log2(1 − share), 40 where it takes all. */
export function opticalDepth(out: usize, src: usize, width: i32, y0: i32, y1: i32): void {
  const one = f32x4.splat(1), least = f32x4.splat(9.094947e-13)
  const end = ((y1 * width) as usize) << 2
  let at = ((y0 * width) as usize) << 2
  for (; at + 16 <= end; at += 16) {
    const rest = f32x4.pmax(least, f32x4.pmin(one, f32x4.sub(one, v128.load(src + at))))
    v128.store(out + at, f32x4.pmax(f32x4.splat(0), f32x4.neg(log2x4(rest))))
  }
  for (; at < end; at += 4) {
    const rest = f32x4.pmax(least, f32x4.pmin(one, f32x4.splat((1.0 as f32) - load<f32>(src + at))))
    store<f32>(out + at, max<f32>(0, -f32x4.extract_lane(log2x4(rest), 0)))
  }
}

/** A ray of few lights, outwards, as `drawLights`; alpha stays 0. */
function drawRay(ray: usize, bends: usize, count: i32, taps: usize, tapCount: i32, gain: f64): void {
  memory.fill(bends, 0, (count as usize) << sumShift)
  let lo = f64x2.splat(0), hi = f64x2.splat(0), lo2 = f64x2.splat(0), hi2 = f64x2.splat(0)
  for (let n = 0; n < count; n++) {
    const place = ray + ((n as usize) << 4)
    const value = v128.load(place)
    if (v128.any_true(value)) {
      const a = low(value), b = high(value)
      let tap = taps
      for (let k = 0; k < tapCount; k++, tap += 16) {
        const to = n + load<i32>(tap)
        if (to >= count) break
        bendAt(bends, to, a, b, load<f64>(tap, 8) * gain)
      }
    }
    const at = bends + ((n as usize) << sumShift)
    lo = f64x2.add(lo, v128.load(at))
    hi = f64x2.add(hi, v128.load(at, 16))
    lo2 = f64x2.add(lo2, lo)
    hi2 = f64x2.add(hi2, hi)
    v128.store(place, v128.shuffle<f32>(f32x4.demote_f64x2_zero(lo2), f32x4.demote_f64x2_zero(hi2), 0, 1, 4, 5))
  }
}

/** `geometry`: origin x, origin y, first angle, step of angle, first radius, as doubles. `gains`: one float a ray. */
export function rayLines(
  out: usize, light: usize, lit: usize, occluder: usize, scratch: usize, scratchBytes: i32, taps: usize, tapCount: i32, gains: usize,
  geometry: usize, length: i32, width: i32, height: i32, y0: i32, y1: i32,
): void {
  const sums = scratch + ((thread * scratchBytes) as usize)
  const ox = load<f64>(geometry)
  const oy = load<f64>(geometry, 8)
  const angle0 = load<f64>(geometry, 16)
  const perRow = load<f64>(geometry, 24)
  const radius0 = load<f64>(geometry, 32)
  const table = sums + ((length as usize) << sumShift)
  const across = (width + (1 << tileShift) - 1) >> tileShift, down = (height + (1 << tileShift) - 1) >> tileShift
  for (let row = y0; row < y1; row++) {
    const angle = angle0 + (row as f64) * perRow
    const cos = NativeMath.cos(angle)
    const sin = NativeMath.sin(angle)
    const entry = table + (((row - y0) as usize) * 24)
    store<f64>(entry, cos)
    store<f64>(entry, sin, 8)
    store<i64>(entry, rayRange(ox, oy, cos, sin, radius0, length, width, height), 16)
  }
  // Samples first, a few of all rays at a time: neighbours lie together in memory. What passes is noted as alpha.
  memory.fill(out + (((y0 * length) as usize) << 4), 0, (((y1 - y0) * length) as usize) << 4)
  for (let i0 = 0; i0 < length; i0 += block)
    for (let row = y0; row < y1; row++) {
      const entry = table + (((row - y0) as usize) * 24)
      const cos = load<f64>(entry)
      const sin = load<f64>(entry, 8)
      const range = load<i64>(entry, 16)
      const from = max<i32>(i0, (range >> 32) as i32)
      const to = min<i32>(i0 + block, (range & 0xffffffff) as i32)
      const target = out + (((row * length) as usize) << 4)
      if (from >= to) continue
      if (!occluder) {
        const r0 = radius0 + (from as f64), r1 = radius0 + (to as f64) - 1
        if (!isLit(lit, across, down, ox + cos * r0 - 0.5, oy + sin * r0 - 0.5, ox + cos * r1 - 0.5, oy + sin * r1 - 0.5)) continue
      }
      for (let i = from; i < to; i++) {
        const r = radius0 + (i as f64)
        const u = ox + cos * r - 0.5
        const v = oy + sin * r - 0.5
        const value = between4(light, u, v, width, height)
        // Depths add up along the way: a wall of one pixel is as thick between pixels as on them.
        const passed: f32 = occluder ? f32x4.extract_lane(exp2x4(f32x4.splat(-(between1(occluder, u, v, width, height) as f32))), 0) : 0
        v128.store(target + ((i as usize) << 4), f32x4.replace_lane(value, 3, passed))
      }
    }
  for (let row = y0; row < y1; row++) {
    const range = load<i64>(table + (((row - y0) as usize) * 24), 16)
    const from = (range >> 32) as i32
    const to = (range & 0xffffffff) as i32
    const target = out + (((row * length) as usize) << 4)
    const gain = load<f32>(gains + ((row as usize) << 2)) as f64
    if (!occluder) {
      let lights = 0
      for (let i = from; i < to; i++) lights += v128.any_true(v128.load(target + ((i as usize) << 4))) as i32
      if (lights == 0) continue
      if (lights * 3 < to - from) {
        drawRay(target + ((from as usize) << 4), sums, to - from, taps, tapCount, gain)
        continue
      }
    }
    let lo = f64x2.splat(0), hi = f64x2.splat(0), lo2 = f64x2.splat(0), hi2 = f64x2.splat(0)
    let start = from
    let open: f64 = 1
    for (let i = from; i < to; i++) {
      const value = v128.load(target + ((i as usize) << 4))
      let a = low(value)
      let b = high(value)
      if (occluder) {
        const passed = f64x2.extract_lane(b, 1)
        b = f64x2.replace_lane(b, 1, 0)
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
      const at = sums + ((i as usize) << sumShift)
      v128.store(at, lo2)
      v128.store(at, hi2, 16)
      v128.store(target + ((i as usize) << 4), tapped(sums, taps, tapCount, i, start, open * gain))
    }
  }
}

/** Angles of four points, −π…π, within 1e-5. Source: minimax polynomial of degree 11 for atan on 0–1. */
@inline
function anglesOf(y: v128, x: v128): v128 {
  const ax = f32x4.abs(x)
  const ay = f32x4.abs(y)
  const most = f32x4.max(f32x4.max(ax, ay), f32x4.splat(1e-30))
  const z = f32x4.div(f32x4.min(ax, ay), most)
  const q = f32x4.mul(z, z)
  let sum = f32x4.sub(f32x4.splat(0.05265332), f32x4.mul(q, f32x4.splat(0.0117212)))
  sum = f32x4.add(f32x4.mul(sum, q), f32x4.splat(-0.11643287))
  sum = f32x4.add(f32x4.mul(sum, q), f32x4.splat(0.19354346))
  sum = f32x4.add(f32x4.mul(sum, q), f32x4.splat(-0.33262347))
  sum = f32x4.add(f32x4.mul(sum, q), f32x4.splat(0.99997726))
  let angle = f32x4.mul(sum, z)
  angle = v128.bitselect(f32x4.sub(f32x4.splat(1.5707963), angle), angle, f32x4.gt(ay, ax))
  angle = v128.bitselect(f32x4.sub(f32x4.splat(3.1415927), angle), angle, f32x4.lt(x, f32x4.splat(0)))
  return v128.bitselect(f32x4.neg(angle), angle, f32x4.lt(y, f32x4.splat(0)))
}

export function rayBack(
  out: usize, rays: usize, scratch: usize, scratchBytes: i32, geometry: usize, count: i32, length: i32, isRound: i32, gain: f32,
  width: i32, y0: i32, y1: i32,
): void {
  const ox = load<f64>(geometry)
  const oy = load<f64>(geometry, 8)
  const angle0 = f32x4.splat(load<f64>(geometry, 16) as f32)
  const perStep = f32x4.splat((1 / load<f64>(geometry, 24)) as f32)
  const radius0 = f32x4.splat(load<f64>(geometry, 32) as f32)
  const factor = f32x4.splat(gain)
  const turn = f32x4.splat(6.2831853)
  const zero = f32x4.splat(0)
  const stride = (length as usize) << 4
  const places = scratch + ((thread * scratchBytes) as usize)
  for (let x0 = 0; x0 < width; x0 += block)
    for (let y = y0; y < y1; y++) {
      const x1 = min<i32>(width, x0 + block)
      const dy = f32x4.splat(((y as f64) + 0.5 - oy) as f32)
      for (let x = x0; x < x1; x += 4) {
        const dx = f32x4.add(f32x4.splat(((x as f64) + 0.5 - ox) as f32), f32x4(0, 1, 2, 3))
        let angle = f32x4.sub(anglesOf(dy, dx), angle0)
        angle = f32x4.add(angle, v128.and(turn, f32x4.lt(angle, zero)))
        angle = f32x4.sub(angle, v128.and(turn, f32x4.ge(angle, turn)))
        const u = f32x4.sub(f32x4.sqrt(f32x4.add(f32x4.mul(dx, dx), f32x4.mul(dy, dy))), radius0)
        const v = f32x4.mul(angle, perStep)
        const fu = f32x4.floor(u)
        const fv = f32x4.floor(v)
        v128.store(places, i32x4.trunc_sat_f32x4_s(fu))
        v128.store(places, i32x4.trunc_sat_f32x4_s(fv), 16)
        v128.store(places, f32x4.sub(u, fu), 32)
        v128.store(places, f32x4.sub(v, fv), 48)
        const many = min<i32>(4, x1 - x)
        for (let k = 0; k < many; k++) {
          const lane = places + ((k as usize) << 2)
          const column = max<i32>(0, min<i32>(length - 2, load<i32>(lane)))
          let upper = load<i32>(lane, 16)
          let lower = upper + 1
          if (isRound) {
            if (upper >= count) upper -= count
            if (lower >= count) lower -= count
          } else {
            upper = max<i32>(0, min<i32>(count - 1, upper))
            lower = max<i32>(0, min<i32>(count - 1, lower))
          }
          const a = rays + (upper as usize) * stride + ((column as usize) << 4)
          const b = rays + (lower as usize) * stride + ((column as usize) << 4)
          const px = v128.load32_splat(lane, 32)
          const value = mixed(mixed(v128.load(a), v128.load(a, 16), px), mixed(v128.load(b), v128.load(b, 16), px), v128.load32_splat(lane, 48))
          v128.store(out + (((y * width + x + k) as usize) << 4), f32x4.mul(value, factor))
        }
      }
    }
}

/** Colour through black, white and gamma on its luminance: y' = ((y − black) / (white − black))^(1 / gamma). */
export function lightLevels(out: usize, src: usize, black: f32, white: f32, power: f32, weigh: usize, width: i32, y0: i32, y1: i32): void {
  const end: usize = (y1 * width) as usize
  const wr = load<f32>(weigh), wg = load<f32>(weigh, 4), wb = load<f32>(weigh, 8)
  const span: f32 = 1.0 / (white - black)
  for (let i: usize = (y0 * width) as usize; i < end; i++) {
    const at = src + (i << 4)
    const p = v128.load(at)
    const y: f32 = wr * load<f32>(at) + wg * load<f32>(at, 4) + wb * load<f32>(at, 8)
    const level: f32 = (y - black) * span
    if (y > 0 && level > 0) {
      const wanted: f32 = power == 1 ? level : NativeMathf.pow(level, power)
      v128.store(out + (i << 4), f32x4.replace_lane(f32x4.mul(p, f32x4.splat(wanted / y)), 3, 0))
    } else v128.store(out + (i << 4), f32x4.splat(0))
  }
}

// @ts-nocheck: AssemblyScript, checked by its own compiler
import { fromSrgb, leastCover, linearFromSrgb, powx4, srgbFromLinear, throughCurve, toSrgb } from './maths'

/** Bits of the lowest value of a tone table, 2^-12, and of where it ends, 2^8; 128 steps an octave. */
const lowBits: i32 = 0x39800000
const lastTone: i32 = 2560

/** Between two entries of a tone table, lane `lane`: the first entry is for 0, the next for 2^-12. */
@inline
function toneAt(table: usize, v: f32, lane: usize): f32 {
  const lowest = reinterpret<f32>(lowBits)
  const lanes = lane << 2
  if (!(v > lowest)) {
    const zero = load<f32>(table + lanes)
    return zero + (load<f32>(table + 16 + lanes) - zero) * (v / lowest)
  }
  const place = reinterpret<i32>(v) - lowBits
  const index = place >> 16
  if (index >= lastTone) return load<f32>(table + (((lastTone + 1) as usize) << 4) + lanes) * (v / 256)
  const at = table + (((index + 1) as usize) << 4) + lanes
  const part: f32 = ((place & 0xffff) as f32) * (1.0 / 65536.0)
  const a = load<f32>(at)
  return a + (load<f32>(at, 16) - a) * part
}

@inline
function luminanceOf(p: v128, weights: v128): f32 {
  const w = f32x4.mul(p, weights)
  return f32x4.extract_lane(w, 0) + f32x4.extract_lane(w, 1) + f32x4.extract_lane(w, 2)
}

/** Straight colour of a premultiplied pixel; light without cover stays what it is. */
@inline
function straightOf(p: v128): v128 {
  const alpha = f32x4.extract_lane(p, 3)
  return alpha > leastCover ? f32x4.mul(p, f32x4.splat((1.0 as f32) / alpha)) : p
}

const mostLight: f32 = 1e30

/** Back again, with the alpha that it had. */
@inline
function coveredBy(v: v128, p: v128): v128 {
  const alpha = f32x4.extract_lane(p, 3)
  // A power of much light is more than a float holds.
  const finite = f32x4.pmin(f32x4.splat(mostLight), f32x4.pmax(f32x4.splat(-mostLight), v))
  return f32x4.replace_lane(alpha > leastCover ? f32x4.mul(finite, f32x4.splat(alpha)) : finite, 3, alpha)
}

/** by: 0 each channel by its own tones and then luminance by those of the last lane; 1 the colour that the luminance stands for. */
export function toneTable(out: usize, src: usize, table: usize, by: i32, weigh: usize, width: i32, y0: i32, y1: i32): void {
  const weights = v128.load(weigh)
  const end: usize = (y1 * width) as usize
  for (let i: usize = (y0 * width) as usize; i < end; i++) {
    const p = v128.load(src + (i << 4))
    let v = straightOf(p)
    if (by == 0) {
      v = f32x4(toneAt(table, f32x4.extract_lane(v, 0), 0), toneAt(table, f32x4.extract_lane(v, 1), 1), toneAt(table, f32x4.extract_lane(v, 2), 2), 0)
      const y = luminanceOf(v, weights)
      const wanted = toneAt(table, y, 3)
      v = y > 1e-6 ? f32x4.mul(v, f32x4.splat(wanted / y)) : f32x4.add(v, f32x4.splat(wanted - y))
    } else {
      const y = luminanceOf(v, weights)
      v = f32x4(toneAt(table, y, 0), toneAt(table, y, 1), toneAt(table, y, 2), 0)
      // Light without cover is as much of the colour as it is light: none stays none.
      if (!(f32x4.extract_lane(p, 3) > leastCover) && !(y > 0)) v = f32x4.splat(0)
    }
    v128.store(out + (i << 4), coveredBy(v, p))
  }
}

/** params: slope, offset and power as four lanes each, saturation, whether it is held in 0–1. */
export function decisionList(out: usize, src: usize, params: usize, weigh: usize, width: i32, y0: i32, y1: i32): void {
  const weights = v128.load(weigh)
  const slope = v128.load(params), offset = v128.load(params, 16), power = v128.load(params, 32)
  const saturation = load<f32>(params, 48)
  const isHeld = load<f32>(params, 52) > 0
  const zero = f32x4.splat(0), one = f32x4.splat(1)
  const isCurved = f32x4.extract_lane(power, 0) != 1 || f32x4.extract_lane(power, 1) != 1 || f32x4.extract_lane(power, 2) != 1
  const end: usize = (y1 * width) as usize
  for (let i: usize = (y0 * width) as usize; i < end; i++) {
    const p = v128.load(src + (i << 4))
    const isLight = !(f32x4.extract_lane(p, 3) > leastCover)
    // An offset is a colour that is added where there is something; light alone would get it everywhere.
    let v = f32x4.mul(straightOf(p), slope)
    if (!isLight) v = f32x4.add(v, offset)
    if (isHeld) v = f32x4.pmin(one, f32x4.pmax(zero, v))
    if (isCurved) v = v128.bitselect(powx4(v, power), v, f32x4.gt(v, zero))
    if (saturation != 1) {
      const y = f32x4.splat(luminanceOf(v, weights))
      v = f32x4.add(y, f32x4.mul(f32x4.sub(v, y), f32x4.splat(saturation)))
    }
    if (isHeld) v = f32x4.pmin(one, f32x4.pmax(zero, v))
    v128.store(out + (i << 4), coveredBy(v, p))
  }
}

/** Straight colour, and alpha on wish, held between two values. */
export function hold(out: usize, src: usize, low: f32, high: f32, withAlpha: i32, width: i32, y0: i32, y1: i32): void {
  const least = f32x4.splat(low), most = f32x4.splat(high)
  const end: usize = (y1 * width) as usize
  for (let i: usize = (y0 * width) as usize; i < end; i++) {
    const p = v128.load(src + (i << 4))
    let v = f32x4.pmin(most, f32x4.pmax(least, straightOf(p)))
    const alpha = f32x4.extract_lane(p, 3)
    const cover = withAlpha ? min<f32>(1, max<f32>(0, alpha)) : alpha
    // Light without cover has no colour to be lifted to the lower end.
    if (!(alpha > leastCover)) v = f32x4.pmin(most, f32x4.pmax(f32x4.splat(min<f32>(low, 0)), p))
    else v = f32x4.mul(v, f32x4.splat(cover))
    v128.store(out + (i << 4), f32x4.replace_lane(v, 3, cover))
  }
}

@inline
function firstLane(v: v128): v128 {
  return v128.shuffle<f32>(v, v, 0, 0, 0, 0)
}

/**
 * A cube of colours whose red runs fastest, between four corners of the tetrahedron that a colour lies in. `p` counts steps of the cube,
 * 0 … size − 1. Nothing is decided by jumps: neighbours in a picture often lie in other tetrahedra.
 */
@inline
function inCube(table: usize, size: i32, p: v128): v128 {
  const steps = i32x4.min_s(i32x4.trunc_sat_f32x4_s(p), i32x4.splat(size - 2))
  const rgb = f32x4.sub(p, f32x4.convert_i32x4_s(steps))
  const gbr = v128.shuffle<f32>(rgb, rgb, 1, 2, 0, 3), brg = v128.shuffle<f32>(rgb, rgb, 2, 0, 1, 3)
  // Red, green and blue are at least as large as the next, as bits.
  const larger = i32x4.bitmask(f32x4.ge(rgb, gbr))
  const xy = larger & 1, yz = larger & 2, zx = larger & 4
  const along = 16, down = size << 4, deep = (size * size) << 4
  const at = table + (((i32x4.extract_lane(steps, 2) * size + i32x4.extract_lane(steps, 1)) * size + i32x4.extract_lane(steps, 0)) as usize << 4)
  const farthest = select<i32>(select<i32>(deep, along, zx), select<i32>(down, deep, yz), xy)
  const nearest = select<i32>(select<i32>(deep, down, yz), select<i32>(along, deep, zx), xy)
  const opposite = at + along + down + deep
  const most = firstLane(f32x4.pmax(rgb, f32x4.pmax(gbr, brg))), least = firstLane(f32x4.pmin(rgb, f32x4.pmin(gbr, brg)))
  const middle = firstLane(f32x4.pmax(f32x4.pmin(rgb, gbr), f32x4.pmin(f32x4.pmax(rgb, gbr), brg)))
  return f32x4.add(
    f32x4.add(f32x4.mul(v128.load(at), f32x4.sub(f32x4.splat(1), most)), f32x4.mul(v128.load(at + farthest), f32x4.sub(most, middle))),
    f32x4.add(f32x4.mul(v128.load(opposite - nearest), f32x4.sub(middle, least)), f32x4.mul(v128.load(opposite), least)),
  )
}

/** Each channel by its own line of the table. */
@inline
function inLines(table: usize, size: i32, p: v128): v128 {
  let made = f32x4.splat(0)
  for (let c = 0; c < 3; c++) {
    const v: f32 = c == 0 ? f32x4.extract_lane(p, 0) : c == 1 ? f32x4.extract_lane(p, 1) : f32x4.extract_lane(p, 2)
    const i = min<i32>(size - 2, v as i32)
    const at = table + ((i as usize) << 4) + ((c as usize) << 2)
    const a = load<f32>(at)
    const w = a + (load<f32>(at, 16) - a) * (v - (i as f32))
    made = c == 0 ? f32x4.replace_lane(made, 0, w) : c == 1 ? f32x4.replace_lane(made, 1, w) : f32x4.replace_lane(made, 2, w)
  }
  return made
}

/** Pixels that go through a table together: powers of many can be computed at once, as long as nothing is decided between them. */
const together = 64

@inline
function lowHalves(a: v128, b: v128): v128 {
  return v128.shuffle<f32>(a, b, 0, 4, 1, 5)
}
@inline
function highHalves(a: v128, b: v128): v128 {
  return v128.shuffle<f32>(a, b, 2, 6, 3, 7)
}
/** Four pixels become their reds, greens, blues and alphas, or the other way: what comes first, and the others. */
@inline
function across(a: v128, b: v128, c: v128, d: v128, which: i32): v128 {
  const even = which < 2 ? lowHalves(a, b) : highHalves(a, b)
  const odd = which < 2 ? lowHalves(c, d) : highHalves(c, d)
  return which & 1 ? v128.shuffle<f32>(even, odd, 2, 3, 6, 7) : v128.shuffle<f32>(even, odd, 0, 1, 4, 5)
}

/** params: lowest values and scales of the domain as four lanes each, gain before. encoded: 1 it takes sRGB-encoded values, 2 it gives them. */
export function lookUp(out: usize, src: usize, table: usize, size: i32, isCube: i32, encoded: i32, params: usize, width: i32, y0: i32, y1: i32): void {
  const from = v128.load(params), scale = v128.load(params, 16), gain = f32x4.splat(load<f32>(params, 32))
  const zero = f32x4.splat(0), one = f32x4.splat(1), most = f32x4.splat((size - 1) as f32), least = f32x4.splat(leastCover)
  const lightest = f32x4.splat(mostLight)
  const all: usize = ((y1 * width) as usize) << 4
  let begin: usize = ((y0 * width) as usize) << 4
  // Groups of four pixels, as reds, greens, blues and alphas between the passes.
  const groups = begin + ((all - begin) & ~63)
  for (; begin < groups; begin += together << 4) {
    const end = min<usize>(groups, begin + (together << 4))
    for (let i = begin; i < end; i += 64) {
      const p = v128.load(src + i), q = v128.load(src + i, 16), r = v128.load(src + i, 32), s = v128.load(src + i, 48)
      const alpha = across(p, q, r, s, 3)
      const whole = f32x4.mul(gain, v128.bitselect(f32x4.div(one, alpha), one, f32x4.gt(alpha, least)))
      v128.store(out + i, f32x4.mul(across(p, q, r, s, 0), whole))
      v128.store(out + i, f32x4.mul(across(p, q, r, s, 1), whole), 16)
      v128.store(out + i, f32x4.mul(across(p, q, r, s, 2), whole), 32)
      v128.store(out + i, alpha, 48)
    }
    if (encoded & 1) throughCurve(out + begin, out + end, toSrgb)
    for (let i = begin; i < end; i += 64) {
      const r = v128.load(out + i), g = v128.load(out + i, 16), b = v128.load(out + i, 32)
      const p0 = looked(table, size, isCube, across(r, g, b, zero, 0), from, scale, most), p1 = looked(table, size, isCube, across(r, g, b, zero, 1), from, scale, most)
      const p2 = looked(table, size, isCube, across(r, g, b, zero, 2), from, scale, most), p3 = looked(table, size, isCube, across(r, g, b, zero, 3), from, scale, most)
      v128.store(out + i, across(p0, p1, p2, p3, 0))
      v128.store(out + i, across(p0, p1, p2, p3, 1), 16)
      v128.store(out + i, across(p0, p1, p2, p3, 2), 32)
    }
    if (encoded & 2) throughCurve(out + begin, out + end, fromSrgb)
    for (let i = begin; i < end; i += 64) {
      const alpha = v128.load(out + i, 48)
      const cover = v128.bitselect(alpha, one, f32x4.gt(alpha, least))
      // A power of much light is more than a float holds.
      const r = f32x4.mul(f32x4.pmin(lightest, f32x4.pmax(f32x4.neg(lightest), v128.load(out + i))), cover)
      const g = f32x4.mul(f32x4.pmin(lightest, f32x4.pmax(f32x4.neg(lightest), v128.load(out + i, 16))), cover)
      const b = f32x4.mul(f32x4.pmin(lightest, f32x4.pmax(f32x4.neg(lightest), v128.load(out + i, 32))), cover)
      v128.store(out + i, across(r, g, b, alpha, 0))
      v128.store(out + i, across(r, g, b, alpha, 1), 16)
      v128.store(out + i, across(r, g, b, alpha, 2), 32)
      v128.store(out + i, across(r, g, b, alpha, 3), 48)
    }
  }
  for (let i = groups; i < all; i += 16) {
    const p = v128.load(src + i)
    let v = f32x4.mul(straightOf(p), gain)
    if (encoded & 1) v = srgbFromLinear(v)
    v = looked(table, size, isCube, v, from, scale, most)
    v128.store(out + i, coveredBy(encoded & 2 ? linearFromSrgb(v) : v, p))
  }
}

@inline
function looked(table: usize, size: i32, isCube: i32, v: v128, from: v128, scale: v128, most: v128): v128 {
  const place = f32x4.pmin(most, f32x4.pmax(f32x4.splat(0), f32x4.mul(f32x4.sub(v, from), scale)))
  return isCube ? inCube(table, size, place) : inLines(table, size, place)
}

/** Luminance L becomes L (1 + L / white²) / (1 + L), colour with it. */
export function shoulder(out: usize, src: usize, gain: f32, white: f32, weigh: usize, width: i32, y0: i32, y1: i32): void {
  const weights = v128.load(weigh)
  const perSquare: f32 = (1.0 as f32) / (white * white)
  const end: usize = (y1 * width) as usize
  for (let i: usize = (y0 * width) as usize; i < end; i++) {
    const p = v128.load(src + (i << 4))
    const v = f32x4.mul(p, f32x4.splat(gain))
    const y = max<f32>(0, luminanceOf(v, weights))
    const factor: f32 = ((1.0 as f32) + y * perSquare) / ((1.0 as f32) + y)
    v128.store(out + (i << 4), f32x4.replace_lane(f32x4.mul(v, f32x4.splat(factor)), 3, f32x4.extract_lane(p, 3)))
  }
}

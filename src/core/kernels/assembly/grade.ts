// @ts-nocheck: AssemblyScript, checked by its own compiler
import { leastCover, linearFromSrgb, powx4, srgbFromLinear } from './maths'

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

/** Entry (r, g, b) of a cube whose red runs fastest. */
@inline
function corner(table: usize, size: i32, r: i32, g: i32, b: i32): v128 {
  return v128.load(table + ((((b * size + g) * size + r) as usize) << 4))
}

@inline
function spread(v: f32): v128 {
  return f32x4.splat(v)
}

/** A cube of colours, between four corners of the tetrahedron that a colour lies in. `p` counts steps of the cube, 0 … size − 1. */
@inline
function inCube(table: usize, size: i32, p: v128): v128 {
  const last = size - 2
  const r = min<i32>(last, f32x4.extract_lane(p, 0) as i32)
  const g = min<i32>(last, f32x4.extract_lane(p, 1) as i32)
  const b = min<i32>(last, f32x4.extract_lane(p, 2) as i32)
  const x = f32x4.extract_lane(p, 0) - (r as f32), y = f32x4.extract_lane(p, 1) - (g as f32), z = f32x4.extract_lane(p, 2) - (b as f32)
  const c000 = corner(table, size, r, g, b)
  const c111 = corner(table, size, r + 1, g + 1, b + 1)
  let first: v128, second: v128, most: f32, middle: f32, least: f32
  if (x >= y) {
    if (y >= z) {
      most = x; middle = y; least = z
      first = corner(table, size, r + 1, g, b)
      second = corner(table, size, r + 1, g + 1, b)
    } else if (x >= z) {
      most = x; middle = z; least = y
      first = corner(table, size, r + 1, g, b)
      second = corner(table, size, r + 1, g, b + 1)
    } else {
      most = z; middle = x; least = y
      first = corner(table, size, r, g, b + 1)
      second = corner(table, size, r + 1, g, b + 1)
    }
  } else if (z >= y) {
    most = z; middle = y; least = x
    first = corner(table, size, r, g, b + 1)
    second = corner(table, size, r, g + 1, b + 1)
  } else if (z >= x) {
    most = y; middle = z; least = x
    first = corner(table, size, r, g + 1, b)
    second = corner(table, size, r, g + 1, b + 1)
  } else {
    most = y; middle = x; least = z
    first = corner(table, size, r, g + 1, b)
    second = corner(table, size, r + 1, g + 1, b)
  }
  return f32x4.add(
    f32x4.add(f32x4.mul(c000, spread((1.0 as f32) - most)), f32x4.mul(first, spread(most - middle))),
    f32x4.add(f32x4.mul(second, spread(middle - least)), f32x4.mul(c111, spread(least))),
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

/** params: lowest values and scales of the domain as four lanes each, gain before. encoded: 1 it takes sRGB-encoded values, 2 it gives them. */
export function lookUp(out: usize, src: usize, table: usize, size: i32, isCube: i32, encoded: i32, params: usize, width: i32, y0: i32, y1: i32): void {
  const from = v128.load(params), scale = v128.load(params, 16), gain = f32x4.splat(load<f32>(params, 32))
  const zero = f32x4.splat(0), most = f32x4.splat((size - 1) as f32)
  const end: usize = (y1 * width) as usize
  for (let i: usize = (y0 * width) as usize; i < end; i++) {
    const p = v128.load(src + (i << 4))
    let v = f32x4.mul(straightOf(p), gain)
    if (encoded & 1) v = srgbFromLinear(v)
    v = f32x4.pmin(most, f32x4.pmax(zero, f32x4.mul(f32x4.sub(v, from), scale)))
    v = isCube ? inCube(table, size, v) : inLines(table, size, v)
    if (encoded & 2) v = linearFromSrgb(v)
    v128.store(out + (i << 4), coveredBy(v, p))
  }
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

// @ts-nocheck: AssemblyScript, checked by its own compiler
// Series and their kind. They lie in memory, as a number that is loaded into four lanes costs less in a loop than one that is written out
// there: it is made anew each time.
const numbers = memory.data<f32>([
  // 0: the logarithm; 5: the exponential; 11: its range and what rounds it.
  0.3205989, 0.41219858, 0.5770780, 0.96179670, 2.8853901,
  0.000154035304, 0.00133335581, 0.00961812911, 0.0555041087, 0.240226507, 0.693147181,
  127, -126, 12582912, 1, 1.17549435e-38,
  // 16: sRGB, there and back.
  1.055, 0.4166666667, 0.055, 12.92, 0.0031308, 0.947867299, 2.4, 0.0773993808, 0.04045,
])
const words = memory.data<i32>([0x3f3504f3, 127, 0x80000000])

@inline
function number(k: usize): v128 {
  return v128.load32_splat(numbers + (k << 2))
}
@inline
function word(k: usize): v128 {
  return v128.load32_splat(words + (k << 2))
}

/** Binary logarithm of what is above 0, to about 1e-7: by the exponent, and a series of (m − 1) / (m + 1) for the rest. */
@inline
export function log2x4(x: v128): v128 {
  const bits = i32x4.sub(x, word(0)) // sqrt(1/2): the rest lies about 1
  const exponent = i32x4.shr_s(bits, 23)
  const m = i32x4.sub(x, i32x4.shl(exponent, 23))
  const one = number(14)
  const t = f32x4.div(f32x4.sub(m, one), f32x4.add(m, one))
  const s = f32x4.mul(t, t)
  let sum = number(0)
  sum = f32x4.add(number(1), f32x4.mul(sum, s))
  sum = f32x4.add(number(2), f32x4.mul(sum, s))
  sum = f32x4.add(number(3), f32x4.mul(sum, s))
  sum = f32x4.add(number(4), f32x4.mul(sum, s))
  return f32x4.add(f32x4.convert_i32x4_s(exponent), f32x4.mul(t, sum))
}

/** Alpha at and below this is no cover; see leastCover of picture/colour.ts. */
export const leastCover: f32 = 5.9604645e-8

/** 2 to the power of x, −126 … 127, to about 2e-7. */
@inline
export function exp2x4(x: v128): v128 {
  const held = f32x4.pmin(number(11), f32x4.pmax(number(12), x))
  // 1.5 · 2²³ rounds to whole numbers, which are then the lowest bits.
  const large = number(13)
  const rounded = f32x4.add(held, large)
  const f = f32x4.sub(held, f32x4.sub(rounded, large))
  let sum = number(5)
  sum = f32x4.add(number(6), f32x4.mul(sum, f))
  sum = f32x4.add(number(7), f32x4.mul(sum, f))
  sum = f32x4.add(number(8), f32x4.mul(sum, f))
  sum = f32x4.add(number(9), f32x4.mul(sum, f))
  sum = f32x4.add(number(10), f32x4.mul(sum, f))
  sum = f32x4.add(number(14), f32x4.mul(sum, f))
  return f32x4.mul(sum, i32x4.shl(i32x4.add(rounded, word(1)), 23))
}

/** x to a power, lane by lane; 0 where x is not above 0. */
@inline
export function powx4(x: v128, power: v128): v128 {
  const tiny = number(15)
  const made = exp2x4(f32x4.mul(power, log2x4(f32x4.pmax(tiny, x))))
  return v128.and(made, f32x4.ge(x, tiny))
}

@inline
function signOf(x: v128): v128 {
  return v128.and(x, word(2))
}

/** Linear light to sRGB-encoded values, mirrored about 0 (IEC 61966-2-1). */
@inline
export function srgbFromLinear(v: v128): v128 {
  const sign = signOf(v)
  const a = v128.xor(v, sign)
  const curve = f32x4.sub(f32x4.mul(number(16), powx4(a, number(17))), number(18))
  const made = v128.bitselect(f32x4.mul(a, number(19)), curve, f32x4.le(a, number(20)))
  return v128.or(made, sign)
}

/** sRGB-encoded values to linear light, mirrored about 0 (IEC 61966-2-1). */
@inline
export function linearFromSrgb(v: v128): v128 {
  const sign = signOf(v)
  const a = v128.xor(v, sign)
  const curve = powx4(f32x4.mul(f32x4.add(a, number(18)), number(21)), number(22))
  const made = v128.bitselect(f32x4.mul(a, number(23)), curve, f32x4.le(a, number(24)))
  return v128.or(made, sign)
}

// A curve: what is added to a value and what it is then multiplied by, the power, what is multiplied and added after that; below its foot
// it is a straight line.
const curves = memory.data<f32>([
  // Linear light to sRGB-encoded values, and back (IEC 61966-2-1).
  0, 1, 0.4166666667, 1.055, -0.055, 12.92, 0.0031308,
  0.055, 0.947867299, 2.4, 1, 0, 0.0773993808, 0.04045,
])
export const toSrgb: usize = 0
export const fromSrgb: usize = 28

@inline
function exponentOf(x: v128): v128 {
  return i32x4.shr_s(i32x4.sub(x, word(0)), 23)
}
@inline
function ratioOf(x: v128, exponent: v128): v128 {
  const m = i32x4.sub(x, i32x4.shl(exponent, 23))
  const one = number(14)
  return f32x4.div(f32x4.sub(m, one), f32x4.add(m, one))
}
/** a + b · x. */
@inline
function plus(a: v128, b: v128, x: v128): v128 {
  return f32x4.add(a, f32x4.mul(b, x))
}
/** 2 to the power of a fraction, in pairs of terms, so that few wait for others. */
@inline
function powerOf(f: v128): v128 {
  const square = f32x4.mul(f, f)
  const low = plus(plus(number(14), number(10), f), plus(number(9), number(8), f), square)
  const high = plus(plus(number(7), number(6), f), number(5), square)
  return plus(low, high, f32x4.mul(square, square))
}
@inline
function seriesOf(s: v128): v128 {
  const square = f32x4.mul(s, s)
  return plus(plus(number(4), number(3), s), plus(plus(number(2), number(1), s), number(0), square), square)
}
@inline
function heldPower(l: v128, power: v128): v128 {
  return f32x4.pmin(number(11), f32x4.pmax(number(12), f32x4.mul(l, power)))
}
@inline
function onCurve(a: v128, sign: v128, made: v128, gain: v128, offset: v128, slope: v128, foot: v128): v128 {
  return v128.or(v128.bitselect(f32x4.mul(a, slope), plus(offset, made, gain), f32x4.le(a, foot)), sign)
}

/**
 * Puts values through a curve, mirrored about 0: groups of four vectors, of which three go through it, red, green and blue of four
 * pixels. The three are computed side by side, as each step has to wait for the one before.
 */
export function throughCurve(at: usize, end: usize, curve: usize): void {
  const set = curves + curve
  const before = v128.load32_splat(set), scale = v128.load32_splat(set, 4), power = v128.load32_splat(set, 8)
  const gain = v128.load32_splat(set, 12), offset = v128.load32_splat(set, 16), slope = v128.load32_splat(set, 20), foot = v128.load32_splat(set, 24)
  for (; at < end; at += 64) {
    const sr = signOf(v128.load(at)), sg = signOf(v128.load(at, 16)), sb = signOf(v128.load(at, 32))
    const r = v128.xor(v128.load(at), sr), g = v128.xor(v128.load(at, 16), sg), b = v128.xor(v128.load(at, 32), sb)
    const xr = f32x4.pmax(number(15), f32x4.mul(f32x4.add(r, before), scale)), xg = f32x4.pmax(number(15), f32x4.mul(f32x4.add(g, before), scale)), xb = f32x4.pmax(number(15), f32x4.mul(f32x4.add(b, before), scale))
    const er = exponentOf(xr), eg = exponentOf(xg), eb = exponentOf(xb)
    const tr = ratioOf(xr, er), tg = ratioOf(xg, eg), tb = ratioOf(xb, eb)
    const lr = f32x4.mul(tr, seriesOf(f32x4.mul(tr, tr))), lg = f32x4.mul(tg, seriesOf(f32x4.mul(tg, tg))), lb = f32x4.mul(tb, seriesOf(f32x4.mul(tb, tb)))
    const hr = heldPower(f32x4.add(f32x4.convert_i32x4_s(er), lr), power), hg = heldPower(f32x4.add(f32x4.convert_i32x4_s(eg), lg), power), hb = heldPower(f32x4.add(f32x4.convert_i32x4_s(eb), lb), power)
    const large = number(13)
    const wr = f32x4.add(hr, large), wg = f32x4.add(hg, large), wb = f32x4.add(hb, large)
    const pr = powerOf(f32x4.sub(hr, f32x4.sub(wr, large))), pg = powerOf(f32x4.sub(hg, f32x4.sub(wg, large))), pb = powerOf(f32x4.sub(hb, f32x4.sub(wb, large)))
    const mr = f32x4.mul(pr, i32x4.shl(i32x4.add(wr, word(1)), 23)), mg = f32x4.mul(pg, i32x4.shl(i32x4.add(wg, word(1)), 23)), mb = f32x4.mul(pb, i32x4.shl(i32x4.add(wb, word(1)), 23))
    v128.store(at, onCurve(r, sr, mr, gain, offset, slope, foot))
    v128.store(at, onCurve(g, sg, mg, gain, offset, slope, foot), 16)
    v128.store(at, onCurve(b, sb, mb, gain, offset, slope, foot), 32)
  }
}

/** Bits well mixed, four lanes at once. Source: the finaliser of MurmurHash3 (public domain). */
@inline
export function mixedBits(x: v128): v128 {
  let h = v128.xor(x, i32x4.shr_u(x, 16))
  h = i32x4.mul(h, i32x4.splat(0x85ebca6b))
  h = v128.xor(h, i32x4.shr_u(h, 13))
  h = i32x4.mul(h, i32x4.splat(0xc2b2ae35))
  return v128.xor(h, i32x4.shr_u(h, 16))
}

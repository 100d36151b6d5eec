// @ts-nocheck: AssemblyScript, checked by its own compiler
/** Binary logarithm of what is above 0, to about 1e-7: by the exponent, and a series of (m − 1) / (m + 1) for the rest. */
@inline
export function log2x4(x: v128): v128 {
  const bits = i32x4.sub(x, i32x4.splat(0x3f3504f3)) // sqrt(1/2): the rest lies about 1
  const exponent = i32x4.shr_s(bits, 23)
  const m = i32x4.sub(x, i32x4.shl(exponent, 23))
  const one = f32x4.splat(1)
  const t = f32x4.div(f32x4.sub(m, one), f32x4.add(m, one))
  const s = f32x4.mul(t, t)
  let sum = f32x4.splat(0.3205989)
  sum = f32x4.add(f32x4.splat(0.41219858), f32x4.mul(sum, s))
  sum = f32x4.add(f32x4.splat(0.5770780), f32x4.mul(sum, s))
  sum = f32x4.add(f32x4.splat(0.96179670), f32x4.mul(sum, s))
  sum = f32x4.add(f32x4.splat(2.8853901), f32x4.mul(sum, s))
  return f32x4.add(f32x4.convert_i32x4_s(exponent), f32x4.mul(t, sum))
}

/** Alpha at and below this is no cover; see leastCover of picture/colour.ts. */
export const leastCover: f32 = 5.9604645e-8

/** 2 to the power of x, −126 … 127, to about 2e-7. */
@inline
export function exp2x4(x: v128): v128 {
  const held = f32x4.pmin(f32x4.splat(127), f32x4.pmax(f32x4.splat(-126), x))
  const whole = f32x4.nearest(held)
  const f = f32x4.sub(held, whole)
  let sum = f32x4.splat(0.000154035304)
  sum = f32x4.add(f32x4.splat(0.00133335581), f32x4.mul(sum, f))
  sum = f32x4.add(f32x4.splat(0.00961812911), f32x4.mul(sum, f))
  sum = f32x4.add(f32x4.splat(0.0555041087), f32x4.mul(sum, f))
  sum = f32x4.add(f32x4.splat(0.240226507), f32x4.mul(sum, f))
  sum = f32x4.add(f32x4.splat(0.693147181), f32x4.mul(sum, f))
  sum = f32x4.add(f32x4.splat(1), f32x4.mul(sum, f))
  return f32x4.mul(sum, i32x4.shl(i32x4.add(i32x4.trunc_sat_f32x4_s(whole), i32x4.splat(127)), 23))
}

/** x to a power, lane by lane; 0 where x is not above 0. */
@inline
export function powx4(x: v128, power: v128): v128 {
  const tiny = f32x4.splat(1.17549435e-38)
  const made = exp2x4(f32x4.mul(power, log2x4(f32x4.pmax(tiny, x))))
  return v128.and(made, f32x4.ge(x, tiny))
}

@inline
function signOf(x: v128): v128 {
  return v128.and(x, i32x4.splat(0x80000000))
}

/** Linear light to sRGB-encoded values, mirrored about 0 (IEC 61966-2-1). */
@inline
export function srgbFromLinear(v: v128): v128 {
  const a = f32x4.abs(v)
  const curve = f32x4.sub(f32x4.mul(f32x4.splat(1.055), powx4(a, f32x4.splat(1.0 / 2.4))), f32x4.splat(0.055))
  const made = v128.bitselect(f32x4.mul(a, f32x4.splat(12.92)), curve, f32x4.le(a, f32x4.splat(0.0031308)))
  return v128.or(made, signOf(v))
}

/** sRGB-encoded values to linear light, mirrored about 0 (IEC 61966-2-1). */
@inline
export function linearFromSrgb(v: v128): v128 {
  const a = f32x4.abs(v)
  const curve = powx4(f32x4.mul(f32x4.add(a, f32x4.splat(0.055)), f32x4.splat(1.0 / 1.055)), f32x4.splat(2.4))
  const made = v128.bitselect(f32x4.mul(a, f32x4.splat(1.0 / 12.92)), curve, f32x4.le(a, f32x4.splat(0.04045)))
  return v128.or(made, signOf(v))
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

// @ts-nocheck: AssemblyScript, checked by its own compiler
import { leastCover } from './maths'

/** Cube roots of what is above 0, 0 of all else, to about 1e-6: a third of the exponent, then Newton's steps. */
@inline
function cubeRoots(v: v128): v128 {
  const third = f32x4.splat(1.0 / 3.0)
  // By floats, which have no integers' division: a guess is near enough.
  const guess = i32x4.add(i32x4.trunc_sat_f32x4_s(f32x4.mul(f32x4.convert_i32x4_s(v), third)), i32x4.splat(709921077))
  let y = guess
  y = f32x4.sub(y, f32x4.mul(f32x4.sub(y, f32x4.div(v, f32x4.mul(y, y))), third))
  y = f32x4.sub(y, f32x4.mul(f32x4.sub(y, f32x4.div(v, f32x4.mul(y, y))), third))
  y = f32x4.sub(y, f32x4.mul(f32x4.sub(y, f32x4.div(v, f32x4.mul(y, y))), third))
  return v128.and(y, f32x4.gt(v, f32x4.splat(0)))
}

/** One of three sums of red, green and blue of four pixels. */
@inline
function weighed(r: v128, g: v128, b: v128, by: usize): v128 {
  return f32x4.add(
    f32x4.add(f32x4.mul(r, v128.load32_splat(by)), f32x4.mul(g, v128.load32_splat(by, 4))),
    f32x4.mul(b, v128.load32_splat(by, 8)),
  )
}
@inline
function oklab(l: v128, m: v128, s: v128, ofL: f32, ofM: f32, ofS: f32): v128 {
  return f32x4.add(f32x4.add(f32x4.mul(l, f32x4.splat(ofL)), f32x4.mul(m, f32x4.splat(ofM))), f32x4.mul(s, f32x4.splat(ofS)))
}

/** How near four pixels are to picked colours. */
@inline
function keyFour(
  p0: v128, p1: v128, p2: v128, p3: v128, picks: usize, count: i32, reach: v128, slope: v128, weight: v128, cones: usize,
): v128 {
  const zero = f32x4.splat(0), one = f32x4.splat(1)
  const t0 = v128.shuffle<f32>(p0, p1, 0, 4, 1, 5)
  const t1 = v128.shuffle<f32>(p2, p3, 0, 4, 1, 5)
  const t2 = v128.shuffle<f32>(p0, p1, 2, 6, 3, 7)
  const t3 = v128.shuffle<f32>(p2, p3, 2, 6, 3, 7)
  const alpha = v128.shuffle<f32>(t2, t3, 2, 3, 6, 7)
  const back = f32x4.div(one, alpha)
  const r = f32x4.mul(v128.shuffle<f32>(t0, t1, 0, 1, 4, 5), back)
  const g = f32x4.mul(v128.shuffle<f32>(t0, t1, 2, 3, 6, 7), back)
  const b = f32x4.mul(v128.shuffle<f32>(t2, t3, 0, 1, 4, 5), back)
  const l = cubeRoots(weighed(r, g, b, cones))
  const m = cubeRoots(weighed(r, g, b, cones + 12))
  const s = cubeRoots(weighed(r, g, b, cones + 24))
  const okL = oklab(l, m, s, 0.2104542553, 0.793617785, -0.0040720468)
  const okA = oklab(l, m, s, 1.9779984951, -2.428592205, 0.4505937099)
  const okB = oklab(l, m, s, 0.0259040371, 0.7827717662, -0.808675766)
  let wanted = zero
  let unwanted = zero
  for (let k = 0; k < count; k++) {
    const at = picks + ((k as usize) << 4)
    const dl = f32x4.mul(f32x4.sub(okL, v128.load32_splat(at)), weight)
    const da = f32x4.sub(okA, v128.load32_splat(at, 4))
    const db = f32x4.sub(okB, v128.load32_splat(at, 8))
    const far = f32x4.sqrt(f32x4.add(f32x4.add(f32x4.mul(dl, dl), f32x4.mul(da, da)), f32x4.mul(db, db)))
    const near = f32x4.pmin(one, f32x4.pmax(zero, f32x4.sub(one, f32x4.mul(f32x4.sub(far, reach), slope))))
    if (load<f32>(at, 12) > 0) wanted = f32x4.pmax(wanted, near)
    else unwanted = f32x4.pmax(unwanted, near)
  }
  const key = f32x4.mul(f32x4.mul(wanted, f32x4.sub(one, unwanted)), f32x4.pmin(one, alpha))
  return v128.and(key, f32x4.gt(alpha, f32x4.splat(leastCover)))
}

/** See KeyKernels.keyColour; picks as L, a, b and 1 (wanted) or −1 (not). cones: three rows of three, light to what the cube roots are of. */
export function keyColour(
  out: usize, src: usize, picks: usize, count: i32, reach: f32, soft: f32, weight: f32, cones: usize, width: i32, y0: i32, y1: i32,
): void {
  const far = f32x4.splat(reach)
  const slope = f32x4.splat(soft > 0 ? 1.0 / soft : 1e9)
  const weights = f32x4.splat(weight)
  const end: usize = (y1 * width) as usize
  let i: usize = (y0 * width) as usize
  for (; i + 4 <= end; i += 4) {
    const at = src + (i << 4)
    const key = keyFour(v128.load(at), v128.load(at, 16), v128.load(at, 32), v128.load(at, 48), picks, count, far, slope, weights, cones)
    v128.store(out + (i << 2), key)
  }
  for (; i < end; i++) {
    const p = v128.load(src + (i << 4))
    store<f32>(out + (i << 2), f32x4.extract_lane(keyFour(p, p, p, p, picks, count, far, slope, weights, cones), 0))
  }
}

/** See KeyKernels.takeColour. */
export function takeColour(out: usize, src: usize, key: usize, r: f32, g: f32, b: f32, spill: f32, width: i32, y0: i32, y1: i32): void {
  const zero = f32x4.splat(0), one = f32x4.splat(1)
  const light = f32x4.replace_lane(i32x4.splat(-1), 3, 0)
  const colour = f32x4(r, g, b, 0)
  // Channels that the colour has none of take any share of it.
  const has = f32x4.gt(colour, zero)
  const spilled = f32x4.mul(colour, f32x4.splat(spill)), kept = f32x4(1 - spill, 1 - spill, 1 - spill, 1)
  const end: usize = (y1 * width) as usize
  for (let i: usize = (y0 * width) as usize; i < end; i++) {
    const own = v128.load(src + (i << 4)), near = load<f32>(key + (i << 2))
    const alpha = f32x4.extract_lane(own, 3)
    const shares = v128.bitselect(f32x4.div(f32x4.pmax(zero, own), f32x4.mul(colour, f32x4.splat(max<f32>(1e-6, alpha)))), one, has)
    const lower = f32x4.pmin(shares, v128.shuffle<f32>(shares, shares, 1, 2, 0, 3))
    const most = min<f32>(1, min<f32>(f32x4.extract_lane(lower, 0), f32x4.extract_lane(lower, 1)))
    const gone: f32 = near >= 1 ? 1 : near + spill * (min<f32>(near, most) - near)
    const taken = f32x4.mul(f32x4.splat(gone), f32x4.add(f32x4.mul(spilled, f32x4.splat(alpha)), f32x4.mul(kept, own)))
    const left = f32x4.sub(own, taken)
    const held = v128.bitselect(own, f32x4.max(zero, left), f32x4.lt(own, zero))
    const rest = v128.bitselect(gone >= 1 ? zero : held, left, light)
    v128.store(out + (i << 4), rest)
  }
}

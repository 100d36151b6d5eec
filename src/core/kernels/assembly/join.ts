// @ts-nocheck: AssemblyScript, checked by its own compiler
import { leastCover } from './maths'
@inline
function alphaOf(p: v128): v128 {
  return v128.shuffle<f32>(p, p, 3, 3, 3, 3)
}

@inline
function weightAt(matte: usize, i: usize, amount: f32): v128 {
  return f32x4.splat(matte ? amount * load<f32>(matte + (i << 2)) : amount)
}

/** B + w·(S·(a0 + a1·αB) + B·(b0 + b1·αS) − B); alpha at most 1 where both are added. */
export function joinOperator(
  out: usize, below: usize, top: usize, matte: usize, opacity: f32,
  a0: f32, a1: f32, b0: f32, b1: f32, width: i32, y0: i32, y1: i32,
): void {
  const end: usize = (y1 * width) as usize
  const va0 = f32x4.splat(a0)
  const va1 = f32x4.splat(a1)
  const vb0 = f32x4.splat(b0 - 1)
  const vb1 = f32x4.splat(b1)
  const limit = f32x4.replace_lane(f32x4.splat(f32.MAX_VALUE), 3, a0 == 1 && a1 == 0 && b0 == 1 && b1 == 0 ? 1 : f32.MAX_VALUE)
  for (let i: usize = (y0 * width) as usize; i < end; i++) {
    const s = v128.load(top + (i << 4))
    const b = v128.load(below + (i << 4))
    const change = f32x4.add(
      f32x4.mul(s, f32x4.add(va0, f32x4.mul(va1, alphaOf(b)))),
      f32x4.mul(b, f32x4.add(vb0, f32x4.mul(vb1, alphaOf(s)))),
    )
    // Where both are added alpha ends at 1, and opacity goes as far towards that.
    const held = f32x4.pmin(change, f32x4.sub(limit, b))
    v128.store(out + (i << 4), f32x4.add(b, f32x4.mul(held, weightAt(matte, i, opacity))))
  }
}

/** Over alone: the join of nearly every lane, in the fewest operations. */
export function joinOver(out: usize, below: usize, top: usize, matte: usize, opacity: f32, width: i32, y0: i32, y1: i32): void {
  const one = f32x4.splat(1)
  const end: usize = (y1 * width) as usize
  for (let i: usize = (y0 * width) as usize; i < end; i++) {
    const s = f32x4.mul(v128.load(top + (i << 4)), weightAt(matte, i, opacity))
    const b = v128.load(below + (i << 4))
    v128.store(out + (i << 4), f32x4.add(s, f32x4.mul(b, f32x4.sub(one, alphaOf(s)))))
  }
}

@inline
function screen(s: v128, b: v128, one: v128): v128 {
  const soft = f32x4.sub(f32x4.add(s, b), f32x4.mul(s, b))
  const bright = v128.or(f32x4.gt(s, one), f32x4.gt(b, one))
  return v128.bitselect(f32x4.pmax(s, b), soft, bright)
}

/** Screen on premultiplied values, so that light without cover counts too. */
export function joinScreen(out: usize, below: usize, top: usize, matte: usize, opacity: f32, width: i32, y0: i32, y1: i32): void {
  const one = f32x4.splat(1)
  const end: usize = (y1 * width) as usize
  for (let i: usize = (y0 * width) as usize; i < end; i++) {
    const b = v128.load(below + (i << 4))
    const change = f32x4.sub(screen(v128.load(top + (i << 4)), b, one), b)
    v128.store(out + (i << 4), f32x4.add(b, f32x4.mul(change, weightAt(matte, i, opacity))))
  }
}

@inline
function hardLight4(b: v128, s: v128, one: v128): v128 {
  const twice = f32x4.add(s, s)
  return v128.bitselect(f32x4.mul(b, twice), screen(f32x4.sub(twice, one), b, one), f32x4.le(s, f32x4.splat(0.5)))
}
/** See blendChannel in join-modes.ts, whose order of modes this is; straight colours, four lanes at a time. The mode is a constant where it is called. */
@inline
function blend4(mode: i32, b: v128, s: v128): v128 {
  const one = f32x4.splat(1), zero = f32x4.splat(0)
  if (mode == 0) return screen(s, b, one)
  if (mode == 1) return f32x4.mul(b, s)
  if (mode == 2) return hardLight4(s, b, one)
  if (mode == 3) return f32x4.pmin(s, b)
  if (mode == 4) return f32x4.pmax(s, b)
  if (mode == 5) {
    const brighter = f32x4.pmax(b, f32x4.pmin(one, f32x4.div(b, f32x4.sub(one, s))))
    return v128.bitselect(b, v128.bitselect(f32x4.pmax(one, b), brighter, f32x4.ge(s, one)), f32x4.le(b, zero))
  }
  if (mode == 6) {
    const darker = f32x4.sub(one, f32x4.pmin(one, f32x4.div(f32x4.sub(one, b), s)))
    return v128.bitselect(b, v128.bitselect(zero, darker, f32x4.le(s, zero)), f32x4.ge(b, one))
  }
  if (mode == 7) return hardLight4(b, s, one)
  if (mode == 8) {
    const h = f32x4.pmin(one, f32x4.pmax(zero, s))
    const twice = f32x4.sub(f32x4.add(h, h), one)
    const dark = f32x4.add(b, f32x4.mul(f32x4.mul(twice, b), f32x4.sub(one, b)))
    const low = f32x4.mul(f32x4.add(f32x4.mul(f32x4.sub(f32x4.mul(f32x4.splat(16), b), f32x4.splat(12)), b), f32x4.splat(4)), b)
    const d = v128.bitselect(low, f32x4.sqrt(b), f32x4.le(b, f32x4.splat(0.25)))
    const bright = f32x4.add(b, f32x4.mul(twice, f32x4.sub(d, b)))
    return v128.bitselect(dark, bright, f32x4.le(h, f32x4.splat(0.5)))
  }
  const apart = f32x4.abs(f32x4.sub(b, s))
  if (mode == 9) return apart
  const isBright = v128.or(f32x4.gt(b, one), f32x4.gt(s, one))
  const product = f32x4.mul(b, s)
  return v128.bitselect(apart, f32x4.sub(f32x4.add(b, s), f32x4.add(product, product)), isBright)
}

/** One mode on all four lanes of each pixel; the fourth is that of alpha. */
@inline
function blendLoop(mode: i32, out: usize, below: usize, top: usize, matte: usize, opacity: f32, from: usize, end: usize): void {
  const one = f32x4.splat(1)
  const least = f32x4.splat(leastCover)
  const colour = i32x4(-1, -1, -1, 0)
  for (let i = from; i < end; i++) {
    const s = v128.load(top + (i << 4))
    const b = v128.load(below + (i << 4))
    const sa = alphaOf(s), ba = alphaOf(b)
    // Both covers share one division.
    const covers = v128.shuffle<f32>(s, b, 3, 3, 7, 7)
    const back = v128.bitselect(f32x4.div(one, covers), one, f32x4.gt(covers, least))
    const si = v128.shuffle<f32>(back, back, 0, 0, 0, 0)
    const bi = v128.shuffle<f32>(back, back, 2, 2, 2, 2)
    const blended = blend4(mode, f32x4.mul(b, bi), f32x4.mul(s, si))
    const both = f32x4.mul(sa, ba)
    const change = f32x4.sub(f32x4.add(f32x4.mul(s, f32x4.sub(one, ba)), f32x4.mul(both, blended)), f32x4.mul(b, sa))
    const whole = v128.bitselect(change, f32x4.sub(sa, both), colour)
    v128.store(out + (i << 4), f32x4.add(b, f32x4.mul(whole, weightAt(matte, i, opacity))))
  }
}

@inline
function lumOf(r: f32, g: f32, b: f32): f32 {
  return 0.3 * r + 0.59 * g + 0.11 * b
}
@inline
function held(v: f32, mid: f32, low: f32, high: f32, most: f32): f32 {
  if (low < 0 && mid > low) v = mid + ((v - mid) * mid) / (mid - low)
  if (high > most && high > mid) v = mid + ((v - mid) * (most - mid)) / (high - mid)
  return v
}
@inline
function setSat(v: f32, low: f32, high: f32, s: f32): f32 {
  return high > low ? ((v - low) * s) / (high - low) : 0
}

/** A blend mode by its number in join-modes.ts: B + w·(S(1 − αB) + αS·αB·f(cb, cs) + B(1 − αS) − B). */
export function joinBlend(out: usize, below: usize, top: usize, matte: usize, opacity: f32, mode: i32, width: i32, y0: i32, y1: i32): void {
  const from: usize = (y0 * width) as usize
  const end: usize = (y1 * width) as usize
  switch (mode) {
    case 0: return blendLoop(0, out, below, top, matte, opacity, from, end)
    case 1: return blendLoop(1, out, below, top, matte, opacity, from, end)
    case 2: return blendLoop(2, out, below, top, matte, opacity, from, end)
    case 3: return blendLoop(3, out, below, top, matte, opacity, from, end)
    case 4: return blendLoop(4, out, below, top, matte, opacity, from, end)
    case 5: return blendLoop(5, out, below, top, matte, opacity, from, end)
    case 6: return blendLoop(6, out, below, top, matte, opacity, from, end)
    case 7: return blendLoop(7, out, below, top, matte, opacity, from, end)
    case 8: return blendLoop(8, out, below, top, matte, opacity, from, end)
    case 9: return blendLoop(9, out, below, top, matte, opacity, from, end)
    case 10: return blendLoop(10, out, below, top, matte, opacity, from, end)
    default: return blendWhole(out, below, top, matte, opacity, mode, from, end)
  }
}

/** The modes that take red, green and blue together. */
function blendWhole(out: usize, below: usize, top: usize, matte: usize, opacity: f32, mode: i32, from: usize, end: usize): void {
  for (let i = from; i < end; i++) {
    const at = i << 4
    const sa = load<f32>(top + at + 12)
    const ba = load<f32>(below + at + 12)
    const w: f32 = matte ? opacity * load<f32>(matte + (i << 2)) : opacity
    const si: f32 = sa > leastCover ? 1 / sa : 1
    const bi: f32 = ba > leastCover ? 1 / ba : 1
    const br = load<f32>(below + at), bg = load<f32>(below + at + 4), bb = load<f32>(below + at + 8)
    const sr = load<f32>(top + at), sg = load<f32>(top + at + 4), sb = load<f32>(top + at + 8)
    const cbr = br * bi, cbg = bg * bi, cbb = bb * bi
    const csr = sr * si, csg = sg * si, csb = sb * si
    const bLow = min(cbr, min(cbg, cbb)), bHigh = max(cbr, max(cbg, cbb))
    const sLow = min(csr, min(csg, csb)), sHigh = max(csr, max(csg, csb))
    const most: f32 = max<f32>(1, max(bHigh, sHigh))
    let l = lumOf(cbr, cbg, cbb)
    let r: f32, g: f32, b: f32
    if (mode == 11) {
      r = setSat(csr, sLow, sHigh, bHigh - bLow)
      g = setSat(csg, sLow, sHigh, bHigh - bLow)
      b = setSat(csb, sLow, sHigh, bHigh - bLow)
    } else if (mode == 12) {
      r = setSat(cbr, bLow, bHigh, sHigh - sLow)
      g = setSat(cbg, bLow, bHigh, sHigh - sLow)
      b = setSat(cbb, bLow, bHigh, sHigh - sLow)
    } else if (mode == 13) {
      r = csr
      g = csg
      b = csb
    } else {
      r = cbr
      g = cbg
      b = cbb
      l = lumOf(csr, csg, csb)
    }
    const d = l - lumOf(r, g, b)
    r += d
    g += d
    b += d
    const mid = lumOf(r, g, b)
    const low = min(r, min(g, b)), high = max(r, max(g, b))
    r = held(r, mid, low, high, most)
    g = held(g, mid, low, high, most)
    b = held(b, mid, low, high, most)
    const both = sa * ba
    store<f32>(out + at, br + w * (sr * (1 - ba) + both * r - br * sa))
    store<f32>(out + at + 4, bg + w * (sg * (1 - ba) + both * g - bg * sa))
    store<f32>(out + at + 8, bb + w * (sb * (1 - ba) + both * b - bb * sa))
    store<f32>(out + at + 12, ba + w * (sa - both))
  }
}

export function mix(out: usize, src: usize, effect: usize, matte: usize, amount: f32, width: i32, y0: i32, y1: i32): void {
  const end: usize = (y1 * width) as usize
  for (let i: usize = (y0 * width) as usize; i < end; i++) {
    const a = v128.load(src + (i << 4))
    const d = f32x4.sub(v128.load(effect + (i << 4)), a)
    v128.store(out + (i << 4), f32x4.add(a, f32x4.mul(d, weightAt(matte, i, amount))))
  }
}

export function addLight(out: usize, src: usize, light: usize, asScreen: i32, intoAlpha: i32, weigh: usize, width: i32, y0: i32, y1: i32): void {
  const one = f32x4.splat(1)
  const wr = load<f32>(weigh), wg = load<f32>(weigh, 4), wb = load<f32>(weigh, 8)
  const end: usize = (y1 * width) as usize
  for (let i: usize = (y0 * width) as usize; i < end; i++) {
    const b = v128.load(src + (i << 4))
    const l = v128.load(light + (i << 4))
    const sum = asScreen ? screen(l, b, one) : f32x4.add(b, l)
    let alpha = f32x4.extract_lane(b, 3)
    if (intoAlpha) {
      const y: f32 =
        f32x4.extract_lane(l, 0) * wr + f32x4.extract_lane(l, 1) * wg + f32x4.extract_lane(l, 2) * wb
      alpha = min<f32>(1, alpha + max<f32>(y, 0))
    }
    v128.store(out + (i << 4), f32x4.replace_lane(sum, 3, alpha))
  }
}

// @ts-nocheck: AssemblyScript, checked by its own compiler
import { leastCover, powx4 } from './maths'

// Loops over mattes: what they are taken from, how they are joined and levelled, and what is cut by them.

@inline
function heldToOne(v: v128): v128 {
  return f32x4.pmin(f32x4.splat(1), f32x4.pmax(f32x4.splat(0), v))
}

/** Channel k of pixels a, b, c, d; k is written out. */
@inline
function channel(a: v128, b: v128, c: v128, d: v128, k: i32): v128 {
  const ab = k < 2 ? v128.shuffle<f32>(a, b, 0, 4, 1, 5) : v128.shuffle<f32>(a, b, 2, 6, 3, 7)
  const cd = k < 2 ? v128.shuffle<f32>(c, d, 0, 4, 1, 5) : v128.shuffle<f32>(c, d, 2, 6, 3, 7)
  return k & 1 ? v128.shuffle<f32>(ab, cd, 2, 3, 6, 7) : v128.shuffle<f32>(ab, cd, 0, 1, 4, 5)
}
@inline
function luminance(p: v128, q: v128, r: v128, s: v128, weigh: usize): v128 {
  return f32x4.add(
    f32x4.add(f32x4.mul(channel(p, q, r, s, 0), v128.load32_splat(weigh)), f32x4.mul(channel(p, q, r, s, 1), v128.load32_splat(weigh, 4))),
    f32x4.mul(channel(p, q, r, s, 2), v128.load32_splat(weigh, 8)),
  )
}

/** The last pixels of a row of values, which are no four. */
@inline
function storeSome(at: usize, values: v128, count: usize): void {
  store<f32>(at, f32x4.extract_lane(values, 0))
  if (count > 1) store<f32>(at, f32x4.extract_lane(values, 1), 4)
  if (count > 2) store<f32>(at, f32x4.extract_lane(values, 2), 8)
}
/** One to three values; the others are the first. */
@inline
function loadSome(at: usize, count: usize): v128 {
  let v = v128.load32_splat(at)
  if (count > 1) v = f32x4.replace_lane(v, 1, load<f32>(at, 4))
  if (count > 2) v = f32x4.replace_lane(v, 2, load<f32>(at, 8))
  return v
}
/** Where pixel k of up to four lies, the first for those that are none. */
@inline
function pixelAt(src: usize, i: usize, k: usize, count: usize): usize {
  return src + ((i + (k < count ? k : 0)) << 4)
}

/** use: 0–3 a channel of four, 4 luminance, 5 the only channel. */
export function matteOf(out: usize, src: usize, use: i32, invert: i32, weigh: usize, width: i32, y0: i32, y1: i32): void {
  const end: usize = (y1 * width) as usize
  const one = f32x4.splat(1)
  for (let i: usize = (y0 * width) as usize; i < end; i += 4) {
    const count = min<usize>(4, end - i)
    let v: v128
    if (use == 5) v = count == 4 ? v128.load(src + (i << 2)) : loadSome(src + (i << 2), count)
    else {
      const p = v128.load(pixelAt(src, i, 0, count)), q = v128.load(pixelAt(src, i, 1, count))
      const r = v128.load(pixelAt(src, i, 2, count)), s = v128.load(pixelAt(src, i, 3, count))
      if (use == 3) v = channel(p, q, r, s, 3)
      else if (use == 4) v = luminance(p, q, r, s, weigh)
      else if (use == 0) v = channel(p, q, r, s, 0)
      else if (use == 1) v = channel(p, q, r, s, 1)
      else v = channel(p, q, r, s, 2)
    }
    v = heldToOne(v)
    if (invert) v = f32x4.sub(one, v)
    if (count == 4) v128.store(out + (i << 2), v)
    else storeSome(out + (i << 2), v, count)
  }
}

/** by: 0 the greater, 1 the product, 2 what the second leaves of the first. */
export function combineMattes(out: usize, a: usize, b: usize, by: i32, width: i32, y0: i32, y1: i32): void {
  const end: usize = (y1 * width) as usize
  const one = f32x4.splat(1)
  for (let i: usize = (y0 * width) as usize; i < end; i += 4) {
    const at = i << 2, count = min<usize>(4, end - i)
    const x = count == 4 ? v128.load(a + at) : loadSome(a + at, count)
    const y = count == 4 ? v128.load(b + at) : loadSome(b + at, count)
    const v = by == 0 ? f32x4.pmax(x, y) : by == 1 ? f32x4.mul(x, y) : f32x4.mul(x, f32x4.sub(one, y))
    if (count == 4) v128.store(out + at, v)
    else storeSome(out + at, v, count)
  }
}

/** Through black, white and gamma (its inverse is given), inverted; `channels` 4 writes it into all four. */
export function levelMatte(
  out: usize, src: usize, channels: i32, black: f32, span: f32, power: f32, invert: i32, width: i32, y0: i32, y1: i32,
): void {
  const end: usize = (y1 * width) as usize
  const one = f32x4.splat(1), from = f32x4.splat(black), by = f32x4.splat(span), curve = f32x4.splat(power)
  for (let i: usize = (y0 * width) as usize; i < end; i += 4) {
    const at = i << 2, count = min<usize>(4, end - i)
    const raw = count == 4 ? v128.load(src + at) : loadSome(src + at, count)
    let v = heldToOne(f32x4.div(f32x4.sub(raw, from), by))
    if (power != 1) v = f32x4.pmin(one, powx4(v, curve))
    if (invert) v = f32x4.sub(one, v)
    if (channels == 4) {
      const to = out + (i << 4)
      v128.store(to, v128.shuffle<f32>(v, v, 0, 0, 0, 0))
      if (count > 1) v128.store(to, v128.shuffle<f32>(v, v, 1, 1, 1, 1), 16)
      if (count > 2) v128.store(to, v128.shuffle<f32>(v, v, 2, 2, 2, 2), 32)
      if (count > 3) v128.store(to, v128.shuffle<f32>(v, v, 3, 3, 3, 3), 48)
    } else if (count == 4) v128.store(out + at, v)
    else storeSome(out + at, v, count)
  }
}

/** max(least, offset + gain · v). */
export function linearMatte(out: usize, src: usize, gain: f32, offset: f32, least: f32, width: i32, y0: i32, y1: i32): void {
  const end: usize = (y1 * width) as usize
  const by = f32x4.splat(gain), from = f32x4.splat(offset), low = f32x4.splat(least)
  for (let i: usize = (y0 * width) as usize; i < end; i += 4) {
    const at = i << 2, count = min<usize>(4, end - i)
    const raw = count == 4 ? v128.load(src + at) : loadSome(src + at, count)
    const v = f32x4.pmax(low, f32x4.add(from, f32x4.mul(raw, by)))
    if (count == 4) v128.store(out + at, v)
    else storeSome(out + at, v, count)
  }
}

/** 1 from 0 on, falling to 0 over `soft` below. */
@inline
function rising(v: v128, soft: f32): v128 {
  const one = f32x4.splat(1), zero = f32x4.splat(0)
  if (!(soft > 0)) return v128.and(one, f32x4.ge(v, zero))
  return heldToOne(f32x4.add(one, f32x4.div(v, f32x4.splat(soft))))
}

export function betweenMarks(
  out: usize, src: usize, from: f32, to: f32, softFrom: f32, softTo: f32, width: i32, y0: i32, y1: i32,
): void {
  const end: usize = (y1 * width) as usize
  const low = f32x4.splat(from), high = f32x4.splat(to)
  for (let i: usize = (y0 * width) as usize; i < end; i += 4) {
    const at = i << 2, count = min<usize>(4, end - i)
    const v = count == 4 ? v128.load(src + at) : loadSome(src + at, count)
    const made = f32x4.mul(rising(f32x4.sub(v, low), softFrom), rising(f32x4.sub(high, v), softTo))
    if (count == 4) v128.store(out + at, made)
    else storeSome(out + at, made, count)
  }
}

export function straightLuminance(out: usize, src: usize, weigh: usize, width: i32, y0: i32, y1: i32): void {
  const end: usize = (y1 * width) as usize
  const one = f32x4.splat(1)
  for (let i: usize = (y0 * width) as usize; i < end; i += 4) {
    const count = min<usize>(4, end - i)
    const p = v128.load(pixelAt(src, i, 0, count)), q = v128.load(pixelAt(src, i, 1, count))
    const r = v128.load(pixelAt(src, i, 2, count)), s = v128.load(pixelAt(src, i, 3, count))
    const alpha = channel(p, q, r, s, 3)
    const cover = v128.bitselect(alpha, one, f32x4.gt(alpha, f32x4.splat(leastCover)))
    const v = f32x4.div(luminance(p, q, r, s, weigh), cover)
    if (count == 4) v128.store(out + (i << 2), v)
    else storeSome(out + (i << 2), v, count)
  }
}

/** The alpha of a picture held to 1 where there is cover, 1 elsewhere, times a matte; in place of that. */
export function underCover(matte: usize, src: usize, width: i32, y0: i32, y1: i32): void {
  const end: usize = (y1 * width) as usize
  for (let i: usize = (y0 * width) as usize; i < end; i++) {
    const alpha = load<f32>(src + (i << 4), 12)
    const cover: f32 = alpha > leastCover ? min<f32>(1, alpha) : 1
    store<f32>(matte + (i << 2), load<f32>(matte + (i << 2)) * cover)
  }
}

/** Four doubles for each row: the sums of its channels. */
export function channelSums(sums: usize, src: usize, width: i32, y0: i32, y1: i32): void {
  for (let y = y0; y < y1; y++) {
    let low = f64x2.splat(0), high = f64x2.splat(0)
    let at = src + (((y * width) as usize) << 4)
    for (let x = 0; x < width; x++, at += 16) {
      const p = v128.load(at)
      low = f64x2.add(low, f64x2.promote_low_f32x4(p))
      high = f64x2.add(high, f64x2.promote_low_f32x4(v128.shuffle<f32>(p, p, 2, 3, 2, 3)))
    }
    v128.store(sums + ((y as usize) << 5), low)
    v128.store(sums + ((y as usize) << 5), high, 16)
  }
}

/** mean: four floats, the straight colour where the picture has none. */
export function putCover(out: usize, src: usize, cover: usize, mean: usize, width: i32, y0: i32, y1: i32): void {
  const colour = v128.load(mean)
  const end: usize = (y1 * width) as usize
  for (let i: usize = (y0 * width) as usize; i < end; i++) {
    const p = v128.load(src + (i << 4))
    const alpha = f32x4.extract_lane(p, 3), next = load<f32>(cover + (i << 2))
    // Of next to no cover the colour is not known well enough.
    const factor: f32 = alpha > 0.001953125 ? next / alpha : 0
    const made = factor > 0 ? f32x4.mul(p, f32x4.splat(factor)) : f32x4.mul(colour, f32x4.splat(next))
    v128.store(out + (i << 4), f32x4.replace_lane(made, 3, next))
  }
}

/** as: 0 light, 1 mixed over, 2 multiplied. */
export function takeColours(out: usize, src: usize, colours: usize, gain: f32, as: i32, width: i32, y0: i32, y1: i32): void {
  const end: usize = (y1 * width) as usize
  for (let i: usize = (y0 * width) as usize; i < end; i++) {
    const p = v128.load(src + (i << 4)), q = v128.load(colours + (i << 4))
    const cover = f32x4.extract_lane(p, 3), alpha = f32x4.extract_lane(q, 3)
    let made: v128
    if (alpha > leastCover) {
      const straight = f32x4.mul(f32x4.div(q, f32x4.splat(alpha)), f32x4.splat(gain))
      made = f32x4.mul(straight, as == 2 ? p : f32x4.splat(cover))
    } else made = as == 0 ? f32x4.splat(0) : p
    v128.store(out + (i << 4), f32x4.replace_lane(made, 3, as == 0 ? 0 : cover))
  }
}

/**
 * index 0: 1 − |cos| between a normal and the way to the camera; else the share of light that a surface of that refractive index reflects.
 * positions 0: all look straight ahead.
 */
export function facing(
  out: usize, normals: usize, positions: usize, cx: f32, cy: f32, cz: f32, index: f32, width: i32, y0: i32, y1: i32,
): void {
  const end: usize = (y1 * width) as usize
  const one = f32x4.splat(1), zero = f32x4.splat(0), n = f32x4.splat(index)
  for (let i: usize = (y0 * width) as usize; i < end; i += 4) {
    const count = min<usize>(4, end - i)
    const p = v128.load(pixelAt(normals, i, 0, count)), q = v128.load(pixelAt(normals, i, 1, count))
    const r = v128.load(pixelAt(normals, i, 2, count)), s = v128.load(pixelAt(normals, i, 3, count))
    const nx = channel(p, q, r, s, 0), ny = channel(p, q, r, s, 1), nz = channel(p, q, r, s, 2)
    const long = f32x4.sqrt(f32x4.add(f32x4.add(f32x4.mul(nx, nx), f32x4.mul(ny, ny)), f32x4.mul(nz, nz)))
    let dot = nz, far = one
    if (positions) {
      const a = v128.load(pixelAt(positions, i, 0, count)), b = v128.load(pixelAt(positions, i, 1, count))
      const c = v128.load(pixelAt(positions, i, 2, count)), d = v128.load(pixelAt(positions, i, 3, count))
      let vx = f32x4.sub(f32x4.splat(cx), channel(a, b, c, d, 0))
      let vy = f32x4.sub(f32x4.splat(cy), channel(a, b, c, d, 1))
      let vz = f32x4.sub(f32x4.splat(cz), channel(a, b, c, d, 2))
      // By the largest first: squares of far places are more than a float holds.
      const most = f32x4.pmax(f32x4.splat(1e-9), f32x4.pmax(f32x4.abs(vx), f32x4.pmax(f32x4.abs(vy), f32x4.abs(vz))))
      vx = f32x4.div(vx, most)
      vy = f32x4.div(vy, most)
      vz = f32x4.div(vz, most)
      dot = f32x4.add(f32x4.add(f32x4.mul(nx, vx), f32x4.mul(ny, vy)), f32x4.mul(nz, vz))
      far = f32x4.pmax(f32x4.splat(1e-9), f32x4.sqrt(f32x4.add(f32x4.add(f32x4.mul(vx, vx), f32x4.mul(vy, vy)), f32x4.mul(vz, vz))))
    }
    const c = heldToOne(f32x4.div(f32x4.abs(dot), f32x4.mul(long, far)))
    let v = f32x4.sub(one, c)
    if (index > 0) {
      // The square of the sine inside is (1 − c²) / n²; what it lacks to 1 is told without losing small c.
      const left = f32x4.add(f32x4.mul(c, c), f32x4.splat(index * index - 1))
      const t = f32x4.div(f32x4.sqrt(f32x4.pmax(zero, left)), n)
      const across = f32x4.div(f32x4.sub(c, f32x4.mul(n, t)), f32x4.add(c, f32x4.mul(n, t)))
      const along = f32x4.div(f32x4.sub(t, f32x4.mul(n, c)), f32x4.add(t, f32x4.mul(n, c)))
      const shared = f32x4.mul(f32x4.splat(0.5), f32x4.add(f32x4.mul(across, across), f32x4.mul(along, along)))
      v = v128.bitselect(shared, one, f32x4.gt(left, zero))
    }
    v = v128.and(v, f32x4.gt(long, f32x4.splat(0.000001)))
    if (count == 4) v128.store(out + (i << 2), v)
    else storeSome(out + (i << 2), v, count)
  }
}

// @ts-nocheck: AssemblyScript, checked by its own compiler
import { thread } from './thread'

/** Depth from here on stands for "nothing was hit". */
const nothing: f32 = 1e30

@inline
function heldAt(i: i32, n: i32): i32 {
  return max<i32>(0, min<i32>(n - 1, i))
}

/** Where a distance lies in the table: 0 … last − 1 between its marks, `last` where nothing was hit. */
@inline
function placeOf(depth: f32, vary: f32, from: f32, scale: f32, last: f32): f32 {
  return depth >= nothing ? last : min<f32>(last - 1, max<f32>(0, (depth - from) * scale * vary))
}

/** The entry of the table at a place: mist times its weight, and the weight. */
@inline
function entryAt(table: usize, place: f32): v128 {
  const index = place as i32
  const at = table + ((index as usize) << 4)
  const a = v128.load(at)
  return f32x4.add(a, f32x4.mul(f32x4.sub(v128.load(at, 16), a), f32x4.splat(place - (index as f32))))
}

/** What stays of a pixel behind mist. */
@inline
function kept(v: v128, join: i32): v128 {
  if (join == 0) return f32x4.sub(f32x4.splat(1), v128.shuffle<f32>(v, v, 3, 3, 3, 3))
  if (join == 1) return f32x4.splat(1)
  return f32x4.pmax(f32x4.splat(0), f32x4.sub(f32x4.splat(1), v))
}

@inline
function alphaOf(p: v128): v128 {
  return v128.shuffle<f32>(p, p, 3, 3, 3, 3)
}

@inline
function sumOf(v: v128): f32 {
  return f32x4.extract_lane(v, 0) + f32x4.extract_lane(v, 1) + f32x4.extract_lane(v, 2) + f32x4.extract_lane(v, 3)
}

/** Light that mist scatters near a lamp. */
@inline
function withGlow(v: v128, glow: v128, strength: f32): v128 {
  return f32x4.add(v, f32x4.mul(glow, f32x4.mul(alphaOf(v), f32x4.splat(strength))))
}

/** Five values of a row about a pixel, and the last again three times. */
@inline
function readFive(out: usize, values: usize, row: i32, x: i32, width: i32, isInside: bool): void {
  if (isInside) {
    const at = values + (((row + x - 2) as usize) << 2)
    v128.store(out, v128.load(at))
    v128.store(out, v128.load32_splat(at, 16), 16)
    return
  }
  for (let dx = -2; dx <= 2; dx++)
    store<f32>(out + ((dx + 2) << 2), load<f32>(values + (((row + heldAt(x + dx, width)) as usize) << 2)))
  v128.store(out, v128.load32_splat(out, 16), 16)
}

/**
 * A pixel at an edge of depth: its colour lies between those on both sides, and as far as it does, it is of the near side and has its mist.
 * `places` has room for 48 numbers.
 */
function mistAtEdge(
  src: usize, depth: usize, vary: usize, table: usize, places: usize, from: f32, scale: f32, last: f32, join: i32, glow: v128, strength: f32, empty: v128, x: i32, y: i32, width: i32, height: i32,
): v128 {
  // Five rows of eight: distances of five pixels, the last of them again; then what they vary by; and what it makes of them.
  const from4 = f32x4.splat(from), scale4 = f32x4.splat(scale), zero = f32x4.splat(0)
  const last4 = f32x4.splat(last), end4 = f32x4.splat(last - 1), nothing4 = f32x4.splat(nothing)
  let low4 = f32x4.splat(1e30), high4 = f32x4.splat(-1)
  const isInside = x >= 2 && x + 3 < width
  for (let dy = -2; dy <= 2; dy++) {
    const row = heldAt(y + dy, height) * width
    const own = places + ((dy + 2) << 5)
    readFive(own, depth, row, x, width, isInside)
    if (vary) readFive(places + 160, vary, row, x, width, isInside)
    for (let half: usize = 0; half < 32; half += 16) {
      const d = v128.load(own + half)
      let place = f32x4.mul(f32x4.sub(d, from4), scale4)
      if (vary) place = f32x4.mul(place, v128.load(places + 160 + half))
      place = v128.bitselect(last4, f32x4.pmin(end4, f32x4.pmax(zero, place)), f32x4.ge(d, nothing4))
      v128.store(own + half, place)
      low4 = f32x4.pmin(place, low4)
      high4 = f32x4.pmax(place, high4)
    }
  }
  const low = min<f32>(min<f32>(f32x4.extract_lane(low4, 0), f32x4.extract_lane(low4, 1)), min<f32>(f32x4.extract_lane(low4, 2), f32x4.extract_lane(low4, 3)))
  const high = max<f32>(max<f32>(f32x4.extract_lane(high4, 0), f32x4.extract_lane(high4, 1)), max<f32>(f32x4.extract_lane(high4, 2), f32x4.extract_lane(high4, 3)))
  const middle: f32 = (low + high) * 0.5
  let nearSum = zero, farSum = zero, nearMist = zero, farMist = zero, nearSquares4 = zero, farSquares4 = zero
  let nearCount: f32 = 0
  for (let dy = -2; dy <= 2; dy++) {
    const row = heldAt(y + dy, height) * width
    // Pixels two away: those beside the edge are mixed themselves.
    const next = dy == -2 || dy == 2 ? 1 : 4
    for (let dx = -2; dx <= 2; dx += next) {
      const place = load<f32>(places + ((dy + 2) << 5) + ((dx + 2) << 2))
      const colour = v128.load(src + (((row + heldAt(x + dx, width)) as usize) << 4))
      const mist = entryAt(table, place)
      const squares = f32x4.mul(colour, colour)
      // Which side it is on can not be foreseen: both are added to, one of them nothing.
      const isNear = i32x4.splat(place < middle ? -1 : 0)
      nearCount += place < middle ? 1 : 0
      nearSum = f32x4.add(nearSum, v128.and(colour, isNear))
      farSum = f32x4.add(farSum, v128.andnot(colour, isNear))
      nearMist = f32x4.add(nearMist, v128.and(mist, isNear))
      farMist = f32x4.add(farMist, v128.andnot(mist, isNear))
      nearSquares4 = f32x4.add(nearSquares4, v128.and(squares, isNear))
      farSquares4 = f32x4.add(farSquares4, v128.andnot(squares, isNear))
    }
  }
  const farCount: f32 = (16.0 as f32) - nearCount
  const nearSquares = sumOf(nearSquares4), farSquares = sumOf(farSquares4)
  const own = ((y * width + x) as usize)
  const p = v128.load(src + (own << 4))
  const ownMist = withGlow(entryAt(table, load<f32>(places + 72)), glow, strength)
  const plain = f32x4.add(f32x4.mul(p, kept(ownMist, join)), f32x4.mul(ownMist, alphaOf(p)))
  const filling = f32x4.mul(empty, f32x4.splat(high == last ? max<f32>(0, (1.0 as f32) - f32x4.extract_lane(p, 3)) : 0))
  const alpha = f32x4.extract_lane(p, 3)
  if (nearCount == 0 || farCount == 0) return f32x4.add(f32x4.replace_lane(plain, 3, alpha), filling)
  const near = f32x4.mul(nearSum, f32x4.splat((1.0 as f32) / nearCount))
  const far = f32x4.mul(farSum, f32x4.splat((1.0 as f32) / farCount))
  const step = f32x4.sub(near, far)
  const square = sumOf(f32x4.mul(step, step))
  // Sides that hardly differ, or differ within themselves as much, do not say; then it is how many of its neighbours are near.
  const within = nearSquares / nearCount - sumOf(f32x4.mul(near, near)) + farSquares / farCount - sumOf(f32x4.mul(far, far))
  const doubt = square + (4.0 as f32) * max<f32>(0, within) + (1e-12 as f32)
  const trust = square / doubt
  const seen = min<f32>(1, max<f32>(0, square > 0 ? sumOf(f32x4.mul(f32x4.sub(p, far), step)) / square : 0))
  let around: f32 = 0
  for (let dy = 1; dy <= 3; dy++)
    for (let dx = 1; dx <= 3; dx++) around += load<f32>(places + (dy << 5) + (dx << 2)) < middle ? 1 : 0
  const cover = trust * seen + ((1.0 as f32) - trust) * around * (1.0 / 9.0)
  const a = f32x4.splat(cover), b = f32x4.splat((1.0 as f32) - cover)
  const nearV = withGlow(f32x4.mul(nearMist, f32x4.splat((1.0 as f32) / nearCount)), glow, strength)
  const farV = withGlow(f32x4.mul(farMist, f32x4.splat((1.0 as f32) / farCount)), glow, strength)
  const nearKept = kept(nearV, join), farKept = kept(farV, join)
  const rest = f32x4.sub(p, f32x4.add(f32x4.mul(a, near), f32x4.mul(b, far)))
  const sides = f32x4.add(
    f32x4.mul(a, f32x4.add(f32x4.mul(near, nearKept), f32x4.mul(nearV, alphaOf(near)))),
    f32x4.mul(b, f32x4.add(f32x4.mul(far, farKept), f32x4.mul(farV, alphaOf(far)))),
  )
  const restAlpha = alphaOf(rest)
  const whole = f32x4.add(
    sides,
    f32x4.add(
      f32x4.mul(rest, f32x4.add(f32x4.mul(a, nearKept), f32x4.mul(b, farKept))),
      f32x4.mul(restAlpha, f32x4.add(f32x4.mul(a, nearV), f32x4.mul(b, farV))),
    ),
  )
  return f32x4.add(f32x4.replace_lane(whole, 3, alpha), filling)
}

@inline
function highest(a: v128, b: v128, c: v128): v128 {
  return f32x4.pmax(a, f32x4.pmax(b, c))
}

@inline
function lowest(a: v128, b: v128, c: v128): v128 {
  return f32x4.pmin(a, f32x4.pmin(b, c))
}

/** Mixed with mist; written so that alpha stays what it is to the last bit. */
@inline
function plainPixel(target: usize, pixel: usize, entry: usize, part: v128): void {
  const a = v128.load(entry)
  const v = f32x4.add(a, f32x4.mul(f32x4.sub(v128.load(entry, 16), a), part))
  const p = v128.load(pixel)
  const mist = f32x4.mul(v, v128.shuffle<f32>(p, p, 3, 3, 3, 3))
  v128.store(target, f32x4.add(p, f32x4.sub(mist, f32x4.mul(p, v128.shuffle<f32>(v, v, 3, 3, 3, 3)))))
}

/** Two neighbours of a table of weights at each of four places: the first two lanes of each. */
@inline
function weightsAt(weights: usize, index: v128, part: v128): v128 {
  const a = v128.load64_zero(weights + i32x4.extract_lane(index, 0))
  const b = v128.load64_zero(weights + i32x4.extract_lane(index, 1))
  const c = v128.load64_zero(weights + i32x4.extract_lane(index, 2))
  const d = v128.load64_zero(weights + i32x4.extract_lane(index, 3))
  const ab = v128.shuffle<f32>(a, b, 0, 4, 1, 5)
  const cd = v128.shuffle<f32>(c, d, 0, 4, 1, 5)
  const first = v128.shuffle<f32>(ab, cd, 0, 1, 4, 5)
  const next = v128.shuffle<f32>(ab, cd, 2, 3, 6, 7)
  return f32x4.add(first, f32x4.mul(f32x4.sub(next, first), part))
}

/** Mixed with mist of one colour, whose alpha is 1: so the picture's alpha stays what it is to the last bit. */
@inline
function colouredPixel(target: usize, pixel: usize, colour: v128, weight: v128): void {
  const p = v128.load(pixel)
  v128.store(target, f32x4.add(p, f32x4.mul(f32x4.sub(f32x4.mul(colour, alphaOf(p)), p), weight)))
}

/**
 * Lays mist over a picture by a table along the distance. `params`: from, scale, last, join (0 mix, 1 add, 2 screen), whether it fills what is
 * empty, red, green and blue of a glow, red, green and blue of all mist where it has one colour. Then `weights` are those of the table; else it is 0.
 * Three rows of places are kept at a time.
 */
export function mist(
  out: usize, src: usize, depth: usize, vary: usize, table: usize, weights: usize, params: usize, glowX: usize, glowY: usize, scratch: usize, scratchBytes: i32, width: i32, height: i32, y0: i32, y1: i32,
): void {
  const from = load<f32>(params)
  const scale = load<f32>(params, 4)
  const last = load<f32>(params, 8)
  const join = load<f32>(params, 12) as i32
  const fills = load<f32>(params, 16) > 0
  const glow = f32x4.replace_lane(v128.load(params, 20), 3, 0)
  const colour = f32x4.replace_lane(v128.load(params, 32), 3, 1)
  const empty = fills ? v128.load(table + ((last as usize) << 4)) : f32x4.splat(0)
  const limit = f32x4.splat(last * (1.0 / 128.0))
  const own = scratch + ((thread * scratchBytes) as usize)
  const rowBytes = ((scratchBytes - 192) / 3) as usize
  const places = own + rowBytes * 3
  const from4 = f32x4.splat(from), scale4 = f32x4.splat(scale), last4 = f32x4.splat(last), beyond4 = f32x4.splat(last * 2), end4 = f32x4.splat(last - 1), zero = f32x4.splat(0)
  const one = f32x4.splat(1), half = f32x4.splat(0.5), large = f32x4.splat(12582912)
  for (let next = y0 - 1; next <= y1; next++) {
    // Places of the row below the one that is worked on.
    const row = own + (((next + 3) % 3) as usize) * rowBytes + 16
    const start = (heldAt(next, height) * width) as usize
    let x = 0
    for (; x + 4 <= width; x += 4) {
      const d = v128.load(depth + ((start + x) << 2))
      let place = f32x4.mul(f32x4.sub(d, from4), scale4)
      if (vary) place = f32x4.mul(place, v128.load(vary + ((start + x) << 2)))
      place = f32x4.pmin(end4, f32x4.pmax(zero, place))
      // What was not hit lies beyond all else, so that its edges are always found.
      v128.store(row + ((x as usize) << 2), v128.bitselect(beyond4, place, f32x4.ge(d, f32x4.splat(nothing))))
    }
    for (; x < width; x++) {
      const i = (start + x) << 2
      const d = load<f32>(depth + i)
      store<f32>(row + ((x as usize) << 2), d >= nothing ? last * 2 : placeOf(d, vary ? load<f32>(vary + i) : 1, from, scale, last))
    }
    v128.store(row - 16, v128.load32_splat(row))
    const end = load<f32>(row + (((width - 1) as usize) << 2))
    for (let k = width; k < width + 8; k++) store<f32>(row + ((k as usize) << 2), end)
    const y = next - 1
    if (y < y0) continue
    const above = own + (((y + 2) % 3) as usize) * rowBytes + 16
    const here = own + (((y + 3) % 3) as usize) * rowBytes + 16
    const below = row
    const brightness: f32 = glowY ? load<f32>(glowY + ((y as usize) << 2)) : 0
    const isPlain = join == 0 && !fills && !glowY
    // The highest and lowest places in three rows, for the four columns before, here and after.
    let a = v128.load(above - 16), h = v128.load(here - 16), b = v128.load(below - 16)
    let most0 = highest(a, h, b), least0 = lowest(a, h, b)
    a = v128.load(above)
    h = v128.load(here)
    b = v128.load(below)
    let most1 = highest(a, h, b), least1 = lowest(a, h, b)
    let pixels = src + (((y * width) as usize) << 4)
    let target = out + (((y * width) as usize) << 4)
    for (let x4 = 0; x4 < width; x4 += 4) {
      const at = (x4 as usize) << 2
      const own4 = h
      a = v128.load(above + at + 16)
      h = v128.load(here + at + 16)
      b = v128.load(below + at + 16)
      const most2 = highest(a, h, b), least2 = lowest(a, h, b)
      const most = f32x4.pmax(most1, f32x4.pmax(v128.shuffle<f32>(most0, most1, 3, 4, 5, 6), v128.shuffle<f32>(most1, most2, 1, 2, 3, 4)))
      const least = f32x4.pmin(least1, f32x4.pmin(v128.shuffle<f32>(least0, least1, 3, 4, 5, 6), v128.shuffle<f32>(least1, least2, 1, 2, 3, 4)))
      most0 = most1
      most1 = most2
      least0 = least1
      least1 = least2
      const edges = i32x4.bitmask(f32x4.gt(f32x4.sub(most, least), limit))
      const place = f32x4.pmin(last4, own4)
      if (isPlain && edges == 0 && x4 + 4 <= width) {
        // Rounded down by the place that 1 has in a float so large: much quicker than turning it into an integer.
        const rounded = f32x4.add(f32x4.sub(place, half), large)
        const part = f32x4.sub(place, f32x4.sub(rounded, large))
        if (weights) {
          const w = weightsAt(weights, i32x4.shl(i32x4.sub(rounded, large), 2), part)
          colouredPixel(target, pixels, colour, v128.shuffle<f32>(w, w, 0, 0, 0, 0))
          colouredPixel(target + 16, pixels + 16, colour, v128.shuffle<f32>(w, w, 1, 1, 1, 1))
          colouredPixel(target + 32, pixels + 32, colour, v128.shuffle<f32>(w, w, 2, 2, 2, 2))
          colouredPixel(target + 48, pixels + 48, colour, v128.shuffle<f32>(w, w, 3, 3, 3, 3))
          pixels += 64
          target += 64
          continue
        }
        const offsets = i32x4.shl(i32x4.sub(rounded, large), 4)
        plainPixel(target, pixels, table + i32x4.extract_lane(offsets, 0), v128.shuffle<f32>(part, part, 0, 0, 0, 0))
        plainPixel(target + 16, pixels + 16, table + i32x4.extract_lane(offsets, 1), v128.shuffle<f32>(part, part, 1, 1, 1, 1))
        plainPixel(target + 32, pixels + 32, table + i32x4.extract_lane(offsets, 2), v128.shuffle<f32>(part, part, 2, 2, 2, 2))
        plainPixel(target + 48, pixels + 48, table + i32x4.extract_lane(offsets, 3), v128.shuffle<f32>(part, part, 3, 3, 3, 3))
        pixels += 64
        target += 64
        continue
      }
      const count = min<i32>(4, width - x4)
      for (let k = 0; k < count; k++) {
        const x1 = x4 + k
        const p = v128.load(pixels)
        const alpha = alphaOf(p)
        const strength: f32 = glowY ? brightness * load<f32>(glowX + ((x1 as usize) << 2)) : 0
        let made: v128
        if (edges & (1 << k)) made = mistAtEdge(src, depth, vary, table, places, from, scale, last, join, glow, strength, empty, x1, y, width, height)
        else {
          const ownAt = min<f32>(last, load<f32>(here + at + ((k as usize) << 2)))
          let v = entryAt(table, ownAt)
          if (glowY) v = withGlow(v, glow, strength)
          made = f32x4.replace_lane(f32x4.add(f32x4.mul(p, kept(v, join)), f32x4.mul(v, alpha)), 3, f32x4.extract_lane(p, 3))
          if (ownAt == last) made = f32x4.add(made, f32x4.mul(empty, f32x4.pmax(zero, f32x4.sub(one, alpha))))
        }
        v128.store(target, made)
        pixels += 16
        target += 16
      }
    }
  }
}

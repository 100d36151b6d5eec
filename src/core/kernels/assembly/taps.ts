// @ts-nocheck: AssemblyScript, checked by its own compiler

// Light drawn out along lines. A line's samples become double cumulative sums, of which a piecewise linear profile
// is a few differences: the cost does not grow with the length. Sums are doubles, so that nothing stays behind a bright pixel.

@inline
export function mixed(a: v128, b: v128, part: v128): v128 {
  return f32x4.add(a, f32x4.mul(f32x4.sub(b, a), part))
}

/** Bytes of one sum: four doubles; of one node: its double sum, then its single one. */
export const sumShift = 5, nodeShift = 6

@inline
export function low(v: v128): v128 {
  return f64x2.promote_low_f32x4(v)
}

@inline
export function high(v: v128): v128 {
  return f64x2.promote_low_f32x4(v128.shuffle<i64>(v, v, 1, 1))
}

@inline
export function demoted(lo: v128, hi: v128): v128 {
  return v128.shuffle<f32>(f32x4.demote_f64x2_zero(lo), f32x4.demote_f64x2_zero(hi), 0, 1, 4, 5)
}

/** Profile taps { offset: i32, weight: f64 at byte 8 } on the sums of a line: the value at `n`, where nothing before `start` counts, times a gain. */
@inline
export function tapped(sums: usize, taps: usize, count: i32, n: i32, start: i32, gain: f64): v128 {
  let lo = f64x2.splat(0)
  let hi = f64x2.splat(0)
  for (let k = 0; k < count; k++) {
    const at = n - load<i32>(taps + ((k as usize) << 4))
    if (at < start) break
    const weight = v128.load64_splat(taps + ((k as usize) << 4), 8)
    const sum = sums + ((at as usize) << sumShift)
    lo = f64x2.add(lo, f64x2.mul(v128.load(sum), weight))
    hi = f64x2.add(hi, f64x2.mul(v128.load(sum, 16), weight))
  }
  const factor = f64x2.splat(gain)
  return demoted(f64x2.mul(lo, factor), f64x2.mul(hi, factor))
}

// Tables of a line: four doubles for each of the last three samples, then taps { shift: i32, weights: four doubles at byte 8 }: first
// those that are looked up at every node, their shift in bytes of nodes, then those of every sample, in bytes of sums.
const nearBytes: usize = 96
const tapBytes: usize = 40

/** A line must have so many dark samples before and after it: one less than there are from node to node at most. */
export const lineMargin = 15

// What taps found, as the two halves of four doubles.
let foundLo: v128 = f64x2.splat(0)
let foundHi: v128 = f64x2.splat(0)

/** Taps on sums beside entry `n`; before the first there is nothing, after the last they go on as a straight line of `step` times their end. */
function lookUpAtEnds(sums: usize, shift: i32, n: i32, last: i32, step: f64, taps: usize, end: usize, endLo: v128, endHi: v128): void {
  let lo = f64x2.splat(0), hi = f64x2.splat(0)
  for (let tap = taps; tap < end; tap += tapBytes) {
    const at = n + (load<i32>(tap) >> shift)
    if (at < 0) continue
    const sum = sums + ((min<i32>(at, last) as usize) << shift)
    const way = f64x2.splat((max<i32>(0, at - last) as f64) * step)
    lo = f64x2.add(lo, f64x2.mul(f64x2.add(v128.load(sum), f64x2.mul(endLo, way)), v128.load(tap, 8)))
    hi = f64x2.add(hi, f64x2.mul(f64x2.add(v128.load(sum, 16), f64x2.mul(endHi, way)), v128.load(tap, 24)))
  }
  foundLo = lo
  foundHi = hi
}

/** The same where all that is looked up is there. */
@inline
function lookUp(sum: usize, taps: usize, end: usize): void {
  let lo = f64x2.splat(0), hi = f64x2.splat(0)
  for (let tap = taps; tap < end; tap += tapBytes) {
    const at = sum + load<i32>(tap)
    lo = f64x2.add(lo, f64x2.mul(v128.load(at), v128.load(tap, 8)))
    hi = f64x2.add(hi, f64x2.mul(v128.load(at, 16), v128.load(tap, 24)))
  }
  foundLo = lo
  foundHi = hi
}

/** Sums of one sample beside those of the node before it, from which it lies `way` samples. */
@inline
function putSum(at: usize, lo: v128, hi: v128, lo2: v128, hi2: v128, own: v128, way: f64): void {
  v128.store(at, f64x2.add(f64x2.add(lo2, f64x2.mul(lo, f64x2.splat(way))), low(own)))
  v128.store(at, f64x2.add(f64x2.add(hi2, f64x2.mul(hi, f64x2.splat(way))), high(own)), 16)
}

/**
 * Sums of a line at its nodes from `j0` to `j1`, every `step` samples (4, 8, 16) from sample `phase` on, and at each sample if `sums` are wanted;
 * they go on from what is there of the node before. Sums are doubles; what is lit between nodes is summed in floats.
 */
export function sumLine(line: usize, j0: i32, j1: i32, step: i32, phase: i32, nodes: usize, sums: usize): void {
  const way = f64x2.splat(step as f64), zero = f32x4.splat(0)
  let lo = f64x2.splat(0), hi = f64x2.splat(0), lo2 = f64x2.splat(0), hi2 = f64x2.splat(0)
  let node = nodes + ((j0 as usize) << nodeShift)
  if (j0 > 0) {
    lo2 = v128.load(node - 64)
    hi2 = v128.load(node - 48)
    lo = v128.load(node - 32)
    hi = v128.load(node - 16)
  }
  let from = line + (((phase - step + 1 + j0 * step) as usize) << 4)
  let sum = sums + (((j0 * step) as usize) << sumShift)
  for (let j = j0; j <= j1; j++) {
    let t = zero, u = zero
    for (let k = 0; k < step; k += 4, from += 64) {
      const t1 = f32x4.add(t, v128.load(from)), u1 = f32x4.add(u, t1)
      const t2 = f32x4.add(t1, v128.load(from, 16)), u2 = f32x4.add(u1, t2)
      const t3 = f32x4.add(t2, v128.load(from, 32)), u3 = f32x4.add(u2, t3)
      t = f32x4.add(t3, v128.load(from, 48))
      u = f32x4.add(u3, t)
      if (sums != 0) {
        putSum(sum, lo, hi, lo2, hi2, u1, (k + 1) as f64)
        putSum(sum + 32, lo, hi, lo2, hi2, u2, (k + 2) as f64)
        putSum(sum + 64, lo, hi, lo2, hi2, u3, (k + 3) as f64)
        putSum(sum + 96, lo, hi, lo2, hi2, u, (k + 4) as f64)
        sum += 128
      }
    }
    lo2 = f64x2.add(f64x2.add(lo2, f64x2.mul(lo, way)), low(u))
    hi2 = f64x2.add(f64x2.add(hi2, f64x2.mul(hi, way)), high(u))
    lo = f64x2.add(lo, low(t))
    hi = f64x2.add(hi, high(t))
    v128.store(node, lo2)
    v128.store(node, hi2, 16)
    v128.store(node, lo, 32)
    v128.store(node, hi, 48)
    node += 64
  }
}

/**
 * Samples of a line between nodes `j0` − 1 and `j1` as its tables say, those of `from` … `to` − 1, to `target`. What taps that bend it only a
 * little find at nodes lies on straight lines between them. There are nodes up to `last`; beyond it is dark. All is times `gain`.
 */
export function drawSums(
  target: usize, line: usize, j0: i32, j1: i32, from: i32, to: i32, last: i32, step: i32, phase: i32, nodes: usize, sums: usize,
  tables: usize, smoothCount: i32, sharpCount: i32, gain: f32,
): void {
  const smooth = tables + nearBytes, smoothEnd = smooth + (smoothCount as usize) * tapBytes, sharpEnd = smoothEnd + (sharpCount as usize) * tapBytes
  const factor = f32x4.splat(gain)
  const way = f64x2.splat(step as f64), share = f64x2.splat(1.0 / (step as f64)), four = f32x4.splat(4)
  const zero = f32x4.splat(0)
  const start = phase - step + 1
  const end = nodes + ((last as usize) << nodeShift)
  const endLo = v128.load(end, 32), endHi = v128.load(end, 48)
  const lastSum = (last + 1) * step - 1
  // Within these nodes, and samples, all that taps look up is there.
  let least = 0, most = 0, leastSharp = 0, mostSharp = 0
  for (let tap = smooth; tap < smoothEnd; tap += tapBytes) {
    least = min<i32>(least, load<i32>(tap) >> nodeShift)
    most = max<i32>(most, load<i32>(tap) >> nodeShift)
  }
  for (let tap = smoothEnd; tap < sharpEnd; tap += tapBytes) {
    leastSharp = min<i32>(leastSharp, load<i32>(tap) >> sumShift)
    mostSharp = max<i32>(mostSharp, load<i32>(tap) >> sumShift)
  }
  const w0Lo = v128.load(tables), w0Hi = v128.load(tables, 16), w1Lo = v128.load(tables, 32), w1Hi = v128.load(tables, 48)
  const w2Lo = v128.load(tables, 64), w2Hi = v128.load(tables, 80)
  const allLo = f64x2.add(f64x2.add(w0Lo, w1Lo), w2Lo), allHi = f64x2.add(f64x2.add(w0Hi, w1Hi), w2Hi)
  const pastLo = f64x2.add(f64x2.add(w1Lo, w2Lo), w2Lo), pastHi = f64x2.add(f64x2.add(w1Hi, w2Hi), w2Hi)
  const w0 = demoted(w0Lo, w0Hi), w1 = demoted(w1Lo, w1Hi), w2 = demoted(w2Lo, w2Hi)
  const all = demoted(allLo, allHi), past = demoted(pastLo, pastHi)
  lookUpAtEnds(nodes, nodeShift, j0 - 1, last, step, smooth, smoothEnd, endLo, endHi)
  let cLo = foundLo, cHi = foundHi
  let lo = f64x2.splat(0), hi = f64x2.splat(0), lo2 = f64x2.splat(0), hi2 = f64x2.splat(0)
  if (j0 > 0) {
    const node = nodes + ((j0 as usize) << nodeShift)
    lo2 = v128.load(node - 64)
    hi2 = v128.load(node - 48)
    lo = v128.load(node - 32)
    hi = v128.load(node - 16)
  }
  let place = line + (((start + j0 * step) as usize) << 4)
  for (let j = j0; j <= j1; j++) {
    if (j + least >= 0 && j + most <= last) lookUp(nodes + ((j as usize) << nodeShift), smooth, smoothEnd)
    else lookUpAtEnds(nodes, nodeShift, j, last, step, smooth, smoothEnd, endLo, endHi)
    // As if nothing were lit after the last node; then what is.
    let baseLo = f64x2.add(f64x2.sub(f64x2.mul(allLo, lo2), f64x2.mul(pastLo, lo)), cLo)
    let baseHi = f64x2.add(f64x2.sub(f64x2.mul(allHi, hi2), f64x2.mul(pastHi, hi)), cHi)
    const rateLo = f64x2.add(f64x2.mul(allLo, lo), f64x2.mul(f64x2.sub(foundLo, cLo), share))
    const rateHi = f64x2.add(f64x2.mul(allHi, hi), f64x2.mul(f64x2.sub(foundHi, cHi), share))
    let base = sharpCount > 0 ? zero : demoted(baseLo, baseHi), rate = sharpCount > 0 ? zero : demoted(rateLo, rateHi)
    cLo = foundLo
    cHi = foundHi
    let t = zero, u = zero
    for (let k = 0; k < step; k += 4, place += 64) {
      const t1 = v128.load(place)
      const t2 = f32x4.add(t1, v128.load(place, 16)), u2 = f32x4.add(t1, t2)
      const t3 = f32x4.add(t2, v128.load(place, 32)), u3 = f32x4.add(u2, t3)
      const t4 = f32x4.add(t3, v128.load(place, 48)), u4 = f32x4.add(u3, t4)
      let at1 = f32x4.add(base, rate)
      let at2 = f32x4.add(at1, rate)
      let at3 = f32x4.add(at2, rate)
      let at4 = f32x4.add(at3, rate)
      base = f32x4.add(at4, f32x4.sub(f32x4.mul(all, u4), f32x4.mul(past, t4)))
      rate = f32x4.add(rate, f32x4.mul(all, t4))
      at1 = f32x4.add(at1, f32x4.mul(w0, t1))
      at2 = f32x4.add(at2, f32x4.add(f32x4.mul(w0, u2), f32x4.mul(w1, t1)))
      at3 = f32x4.add(at3, f32x4.add(f32x4.add(f32x4.mul(w0, u3), f32x4.mul(w1, u2)), f32x4.mul(w2, t1)))
      at4 = f32x4.add(at4, f32x4.add(f32x4.add(f32x4.mul(w0, u4), f32x4.mul(w1, u3)), f32x4.mul(w2, u2)))
      u = f32x4.add(f32x4.add(u, f32x4.mul(t, four)), u4)
      t = f32x4.add(t, t4)
      if (sharpCount > 0)
        for (let s = 0; s < 4; s++) {
          const i = j * step + k + s
          if (i + leastSharp >= 0 && i + mostSharp <= lastSum) lookUp(sums + ((i as usize) << sumShift), smoothEnd, sharpEnd)
          else lookUpAtEnds(sums, sumShift, i, lastSum, 1, smoothEnd, sharpEnd, endLo, endHi)
          baseLo = f64x2.add(baseLo, rateLo)
          baseHi = f64x2.add(baseHi, rateHi)
          const more = demoted(f64x2.add(baseLo, foundLo), f64x2.add(baseHi, foundHi))
          if (s == 0) at1 = f32x4.add(at1, more)
          else if (s == 1) at2 = f32x4.add(at2, more)
          else if (s == 2) at3 = f32x4.add(at3, more)
          else at4 = f32x4.add(at4, more)
        }
      at1 = f32x4.mul(at1, factor)
      at2 = f32x4.mul(at2, factor)
      at3 = f32x4.mul(at3, factor)
      at4 = f32x4.mul(at4, factor)
      const n = start + j * step + k
      const at = target + ((n as usize) << 4)
      if (n >= from && n + 4 <= to) {
        v128.store(at, at1)
        v128.store(at, at2, 16)
        v128.store(at, at3, 32)
        v128.store(at, at4, 48)
        continue
      }
      if (n >= from && n < to) v128.store(at, at1)
      if (n + 1 >= from && n + 1 < to) v128.store(at, at2, 16)
      if (n + 2 >= from && n + 2 < to) v128.store(at, at3, 32)
      if (n + 3 >= from && n + 3 < to) v128.store(at, at4, 48)
    }
    lo2 = f64x2.add(f64x2.add(lo2, f64x2.mul(lo, way)), low(u))
    hi2 = f64x2.add(f64x2.add(hi2, f64x2.mul(hi, way)), high(u))
    lo = f64x2.add(lo, low(t))
    hi = f64x2.add(hi, high(t))
  }
}

/** The node at a sample, or the first after it. */
@inline
export function nodeAfter(sample: i32, step: i32, phase: i32): i32 {
  return sample <= phase ? 0 : (sample - phase + step - 1) / step
}

/** A whole line drawn out as its tables say, to `target`, which is not `line`; the line is dark for `lineMargin` samples before and after. */
export function drawLine(
  target: usize, line: usize, count: i32, step: i32, phase: i32, scratch: usize, tables: usize, smoothCount: i32, sharpCount: i32,
): void {
  const last = nodeAfter(count - 1, step, phase)
  const sums = sharpCount > 0 ? scratch + ((last as usize + 1) << nodeShift) : 0
  sumLine(line, 0, last, step, phase, scratch, sums)
  drawSums(target, line, 0, last, 0, count, last, step, phase, scratch, sums, tables, smoothCount, sharpCount, 1)
}

/** How far a line's light reaches, in samples: ahead (1), or behind (−1). */
export function reachOf(tables: usize, smoothCount: i32, sharpCount: i32, step: i32, way: i32): i32 {
  let farthest = 2
  let tap = tables + nearBytes
  for (let k = 0; k < smoothCount + sharpCount; k++, tap += tapBytes) {
    const shift = k < smoothCount ? (load<i32>(tap) >> nodeShift) * step : load<i32>(tap) >> sumShift
    farthest = max<i32>(farthest, -way * shift)
  }
  return farthest + lineMargin
}

/** Samples along a slanted line lie far apart in memory: lines are taken together, a few columns at a time. */
export const block = 32

/** Side of the tiles by which it is known where there is light, as a power of two; as long as what is sampled of a ray at a time, and longer. */
export const tileShift = 6

/** Whether there may be light on a piece of a ray, no longer than a tile, from one point to another. */
@inline
export function isLit(tiles: usize, across: i32, down: i32, u0: f64, v0: f64, u1: f64, v1: f64): bool {
  const left = max<i32>(0, (Math.floor(min<f64>(u0, u1)) as i32) >> tileShift), right = min<i32>(across - 1, ((Math.floor(max<f64>(u0, u1)) as i32) + 1) >> tileShift)
  const top = max<i32>(0, (Math.floor(min<f64>(v0, v1)) as i32) >> tileShift), bottom = min<i32>(down - 1, ((Math.floor(max<f64>(v0, v1)) as i32) + 1) >> tileShift)
  for (let y = top; y <= bottom; y++)
    for (let x = left; x <= right; x++) if (load<f32>(tiles + (((y * across + x) as usize) << 2)) != 0) return true
  return false
}

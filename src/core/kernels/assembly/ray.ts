// @ts-nocheck: AssemblyScript, checked by its own compiler
import { exp2x4, log2x4 } from './maths'
import { block, drawSums, high, isLit, lineMargin, low, mixed, nodeAfter, nodeShift, reachOf, sumLine, sumShift, tapped, tileShift } from './taps'
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

/** First (or one past the last) sample of a ray between which all that it lies between is in the picture. */
@inline
function innerRange(ox: f64, oy: f64, cos: f64, sin: f64, radius0: f64, from: i32, to: i32, width: i32, height: i32): i64 {
  let near: f64 = 0
  let far: f64 = 1e9
  const right = (width as f64) - 1, bottom = (height as f64) - 1
  if (Math.abs(cos) > 1e-12) {
    const a = (1 - ox) / cos, b = (right - ox) / cos
    near = max<f64>(near, min<f64>(a, b))
    far = min<f64>(far, max<f64>(a, b))
  } else if (ox < 1 || ox > right) far = -1
  if (Math.abs(sin) > 1e-12) {
    const a = (1 - oy) / sin, b = (bottom - oy) / sin
    near = max<f64>(near, min<f64>(a, b))
    far = min<f64>(far, max<f64>(a, b))
  } else if (oy < 1 || oy > bottom) far = -1
  if (!(near < far)) return ((to as i64) << 32) | (to as i64)
  const first = min<i32>(to, max<i32>(from, Math.ceil(near - radius0) as i32))
  return ((first as i64) << 32) | (max<i32>(first, min<i32>(to, Math.floor(far - radius0) as i32)) as i64)
}

/**
 * Rays that are made together, as a power of two: they run through the same pages of memory. Near the origin rays lie closer together than
 * pixels: there every other ray, and nearer every fourth, eighth and sixteenth, is enough, and those between are the mean of their neighbours.
 */
const classes = 4
const together = 1 << classes
/** Of each of them: its direction, where it and its inner part begin and end, and where it is lit. */
const rayBytes: usize = 40

/** The last radius up to which every 2^level-th ray is enough: whole nodes, whatever their step. */
@inline
function evenUpTo(even: f64, level: i32): i32 {
  return (Math.floor(Math.min(even, 1e6) / ((1 << (level - 1)) as f64) / 16) as i32) << 4
}

/** The mean of two runs of doubles. */
@inline
function meanOf(to: usize, a: usize, b: usize, bytes: usize): void {
  const half = f64x2.splat(0.5)
  for (let at: usize = 0; at < bytes; at += 16) v128.store(to + at, f64x2.mul(f64x2.add(v128.load(a + at), v128.load(b + at)), half))
}

/** One piece of a ray, from the light between its pixels; alpha 0. */
@inline
function sampleRay(line: usize, light: usize, entry: usize, from: i32, to: i32, ox: f64, oy: f64, radius0: f64, width: i32, height: i32): void {
  const origin = f64x2.replace_lane(f64x2.splat(ox - 0.5), 1, oy - 0.5)
  const way = v128.load(entry)
  const within = load<i64>(entry, 24)
  const innerFrom = (within >> 32) as i32, innerTo = (within & 0xffffffff) as i32
  const noAlpha = i32x4(-1, -1, -1, 0)
  const stride = (width as usize) << 4
  for (let i = from; i < to; i++) {
    const place = f64x2.add(origin, f64x2.mul(way, f64x2.splat(radius0 + (i as f64))))
    let value: v128
    if (i >= innerFrom && i < innerTo) {
      const whole = f64x2.floor(place)
      const part = f32x4.demote_f64x2_zero(f64x2.sub(place, whole))
      const pixel = i32x4.trunc_sat_f64x2_s_zero(whole)
      const at = light + (((i32x4.extract_lane(pixel, 1) * width + i32x4.extract_lane(pixel, 0)) as usize) << 4)
      const px = v128.shuffle<f32>(part, part, 0, 0, 0, 0), py = v128.shuffle<f32>(part, part, 1, 1, 1, 1)
      const below = at + stride
      value = mixed(mixed(v128.load(at), v128.load(at, 16), px), mixed(v128.load(below), v128.load(below, 16), px), py)
    } else value = between4(light, f64x2.extract_lane(place, 0), f64x2.extract_lane(place, 1), width, height)
    v128.store(line + ((i as usize) << 4), v128.and(value, noAlpha))
  }
}

/** Notes the directions and ranges of rays from `first` on; the samples between which any of them lies in the picture, as two halves. */
function noteRays(entries: usize, first: i32, many: i32, angle0: f64, perRow: f64, ox: f64, oy: f64, radius0: f64, length: i32, width: i32, height: i32): i64 {
  let least = length, most = 0
  for (let k = 0; k < many; k++) {
    const angle = angle0 + ((first + k) as f64) * perRow
    const cos = NativeMath.cos(angle), sin = NativeMath.sin(angle)
    const entry = entries + (k as usize) * rayBytes
    const range = rayRange(ox, oy, cos, sin, radius0, length, width, height)
    const from = (range >> 32) as i32, to = (range & 0xffffffff) as i32
    store<f64>(entry, cos)
    store<f64>(entry, sin, 8)
    store<i64>(entry, range, 16)
    store<i64>(entry, innerRange(ox, oy, cos, sin, radius0, from, to, width, height), 24)
    if (from >= to) continue
    least = min<i32>(least, from)
    most = max<i32>(most, to)
  }
  return ((least as i64) << 32) | (most as i64)
}

/**
 * See StreakKernels.rayLines. `geometry`: origin x, origin y, first angle, step of angle, first radius, and up to which radius every other ray
 * is enough, as doubles. `gains`: one float a ray. Rows are groups of sixteen rays.
 */
export function rayLines(
  out: usize, light: usize, lit: usize, scratch: usize, scratchBytes: i32, tables: usize, smoothCount: i32, sharpCount: i32, step: i32, gains: usize,
  geometry: usize, length: i32, rays: i32, width: i32, height: i32, y0: i32, y1: i32,
): void {
  const margin = (lineMargin as usize) << 4
  const entries = scratch + ((thread * scratchBytes) as usize)
  const lines = entries + (together as usize + 1) * rayBytes + margin
  // Not a power of two, so that rays do not push each other out of the cache.
  const lineStride = ((length as usize) << 4) + 528
  const nodeStride = (((length / step) as usize) + 3) << nodeShift
  const sumStride = sharpCount > 0 ? ((length as usize) + 48) << sumShift : 0
  const allNodes = lines + (together as usize + 1) * lineStride
  const allSums = allNodes + (together as usize + 1) * nodeStride
  const ox = load<f64>(geometry), oy = load<f64>(geometry, 8)
  const angle0 = load<f64>(geometry, 16), perRow = load<f64>(geometry, 24), radius0 = load<f64>(geometry, 32), even = load<f64>(geometry, 40)
  const across = (width + (1 << tileShift) - 1) >> tileShift, down = (height + (1 << tileShift) - 1) >> tileShift
  const ahead = reachOf(tables, smoothCount, sharpCount, step, 1)
  const phase = -(radius0 as i32) & (step - 1)
  // Samples up to which the rays of a class are the mean of others, and up to which any is.
  const shared = max<i32>(0, min<i32>(length, evenUpTo(even, 1) - (radius0 as i32) + 1))
  for (let group = y0; group < y1; group++) {
    const first = group << classes
    const span = noteRays(entries, first, together + 1, angle0, perRow, ox, oy, radius0, length, width, height)
    const least = (span >> 32) as i32, most = (span & 0xffffffff) as i32
    for (let k = 0; k <= together; k++) {
      store<i32>(entries + (k as usize) * rayBytes, length, 32)
      store<i32>(entries + (k as usize) * rayBytes, 0, 36)
      memory.fill(lines + (k as usize) * lineStride - margin, 0, margin)
    }
    for (let i0 = least; i0 < most; i0 += 1 << tileShift)
      for (let k = 0; k <= together; k++) {
        const entry = entries + (k as usize) * rayBytes
        const own = k == 0 || k == together ? 0 : max<i32>(0, evenUpTo(even, ctz<i32>(k) + 1) - (radius0 as i32) + 1)
        const range = load<i64>(entry, 16)
        const from = max<i32>(own, max<i32>(i0, (range >> 32) as i32))
        const to = min<i32>(k == together ? shared : length, min<i32>(i0 + (1 << tileShift), (range & 0xffffffff) as i32))
        if (from >= to) continue
        const line = lines + (k as usize) * lineStride
        const cos = load<f64>(entry), sin = load<f64>(entry, 8)
        const r0 = radius0 + (from as f64), r1 = radius0 + (to as f64) - 1
        if (!isLit(lit, across, down, ox + cos * r0 - 0.5, oy + sin * r0 - 0.5, ox + cos * r1 - 0.5, oy + sin * r1 - 0.5)) {
          memory.fill(line + ((from as usize) << 4), 0, ((to - from) as usize) << 4)
          continue
        }
        if (load<i32>(entry, 36) == 0) store<i32>(entry, from, 32)
        store<i32>(entry, to, 36)
        sampleRay(line, light, entry, from, to, ox, oy, radius0, width, height)
      }
    for (let level = classes; level >= 0; level--)
      for (let k = level == classes ? 0 : 1 << level; k <= together; k += level == classes ? together : 2 << level) {
        const entry = entries + (k as usize) * rayBytes
        const range = load<i64>(entry, 16)
        const to = min<i32>(k == together ? shared : length, (range & 0xffffffff) as i32)
        const own = level == classes ? 0 : max<i32>(0, evenUpTo(even, level + 1) - (radius0 as i32) + 1)
        const from = max<i32>(own, (range >> 32) as i32)
        const line = lines + (k as usize) * lineStride
        const nodes = allNodes + (k as usize) * nodeStride
        const sums = sharpCount > 0 ? allSums + (k as usize) * sumStride : 0
        let begin = load<i32>(entry, 32), end = load<i32>(entry, 36)
        while (begin < end && !v128.any_true(v128.load(line + ((begin as usize) << 4)))) begin++
        while (begin < end && !v128.any_true(v128.load(line + (((end - 1) as usize) << 4)))) end--
        if (begin >= end) {
          begin = length
          end = 0
        }
        const last = nodeAfter(max<i32>(to, shared) - 1, step, phase)
        const inherited = own > 0 ? nodeAfter(own - 1, step, phase) + 1 : 0
        if (own > 0) {
          const before = k - (1 << level), after = k + (1 << level)
          const a = entries + (before as usize) * rayBytes, b = entries + (after as usize) * rayBytes
          const litFrom = min<i32>(load<i32>(a, 32), load<i32>(b, 32)), litTo = max<i32>(load<i32>(a, 36), load<i32>(b, 36))
          if (litFrom < min<i32>(own, litTo)) {
            begin = min<i32>(begin, litFrom)
            end = max<i32>(end, min<i32>(own, litTo))
          }
          if (begin < end) {
            meanOf(nodes, allNodes + (before as usize) * nodeStride, allNodes + (after as usize) * nodeStride, (inherited as usize) << nodeShift)
            if (sharpCount > 0)
              meanOf(sums, allSums + (before as usize) * sumStride, allSums + (after as usize) * sumStride, ((inherited * step) as usize) << sumShift)
          }
        }
        store<i32>(entry, begin, 32)
        store<i32>(entry, end, 36)
        if (begin >= end) {
          memory.fill(nodes, 0, ((last + 1) as usize) << nodeShift)
          if (sharpCount > 0) memory.fill(sums, 0, (((last + 1) * step) as usize) << sumShift)
        } else {
          // Dark before it comes to the picture and after it leaves it.
          const sampled = max<i32>(own, min<i32>(from, to))
          memory.fill(line + ((own as usize) << 4), 0, ((sampled - own) as usize) << 4)
          const past = max<i32>(own, to)
          memory.fill(line + ((past as usize) << 4), 0, ((max<i32>(0, phase + last * step + 1 - past)) as usize) << 4)
          sumLine(line, inherited, last, step, phase, nodes, sums)
        }
        const ray = first + k
        if (k == together || ray >= rays || from >= to) continue
        const target = out + (ray as usize) * ((length as usize) << 4)
        const dark = begin < end ? max<i32>(from, min<i32>(to, end + ahead)) : from
        if (dark > from) {
          const j0 = max<i32>(inherited, nodeAfter(from, step, phase)), j1 = nodeAfter(dark - 1, step, phase)
          drawSums(target, line, j0, j1, from, dark, last, step, phase, nodes, sums, tables, smoothCount, sharpCount, load<f32>(gains + ((ray as usize) << 2)))
        }
        memory.fill(target + ((dark as usize) << 4), 0, ((to - dark) as usize) << 4)
      }
  }
}

/** The same where something stands in the way: `depth` is how often light is halved at each pixel. */
export function rayLinesPast(
  out: usize, light: usize, depth: usize, scratch: usize, scratchBytes: i32, taps: usize, tapCount: i32, gains: usize,
  geometry: usize, length: i32, width: i32, height: i32, y0: i32, y1: i32,
): void {
  const sums = scratch + ((thread * scratchBytes) as usize)
  const ox = load<f64>(geometry)
  const oy = load<f64>(geometry, 8)
  const angle0 = load<f64>(geometry, 16)
  const perRow = load<f64>(geometry, 24)
  const radius0 = load<f64>(geometry, 32)
  for (let row = y0; row < y1; row++) {
    const angle = angle0 + (row as f64) * perRow
    const cos = NativeMath.cos(angle), sin = NativeMath.sin(angle)
    const range = rayRange(ox, oy, cos, sin, radius0, length, width, height)
    const from = (range >> 32) as i32, to = (range & 0xffffffff) as i32
    const target = out + (((row * length) as usize) << 4)
    const gain = load<f32>(gains + ((row as usize) << 2)) as f64
    memory.fill(target, 0, (length as usize) << 4)
    let lo = f64x2.splat(0), hi = f64x2.splat(0), lo2 = f64x2.splat(0), hi2 = f64x2.splat(0)
    let start = from
    let open: f64 = 1
    for (let i = from; i < to; i++) {
      const r = radius0 + (i as f64)
      const u = ox + cos * r - 0.5, v = oy + sin * r - 0.5
      const value = f32x4.replace_lane(between4(light, u, v, width, height), 3, 0)
      // Depths add up along the way: a wall of one pixel is as thick between pixels as on them.
      const passed = f32x4.extract_lane(exp2x4(f32x4.splat(-(between1(depth, u, v, width, height) as f32))), 0) as f64
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
      lo = f64x2.add(lo, f64x2.mul(low(value), more))
      hi = f64x2.add(hi, f64x2.mul(high(value), more))
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

/** Between two rays, and two samples of each. */
@inline
function betweenRays(a: usize, b: usize, px: v128, py: v128): v128 {
  return mixed(mixed(v128.load(a), v128.load(a, 16), px), mixed(v128.load(b), v128.load(b, 16), px), py)
}

export function rayBack(
  out: usize, rays: usize, geometry: usize, count: i32, length: i32, isRound: i32, gain: f32, width: i32, y0: i32, y1: i32,
): void {
  const ox = load<f64>(geometry)
  const oy = load<f64>(geometry, 8)
  const angle0 = f32x4.splat(load<f64>(geometry, 16) as f32)
  const perStep = f32x4.splat((1 / load<f64>(geometry, 24)) as f32)
  const first = load<f64>(geometry, 32)
  const radius0 = f32x4.splat(first as f32)
  const even = load<f64>(geometry, 40)
  const factor = f32x4.splat(gain)
  const turn = f32x4.splat(6.2831853)
  const zero = f32x4.splat(0), none = i32x4.splat(0), one = i32x4.splat(1)
  const lastColumn = i32x4.splat(length - 2), all = i32x4.splat(count), lastRay = f32x4.splat((count - 1) as f32), stride = i32x4.splat(length << 4)
  const half = f32x4.splat(0.5)
  // Columns up to which every other, fourth, eighth and sixteenth ray is enough.
  const even1 = i32x4.splat(evenUpTo(even, 1) - (first as i32)), even2 = i32x4.splat(evenUpTo(even, 2) - (first as i32))
  const even3 = i32x4.splat(evenUpTo(even, 3) - (first as i32)), even4 = i32x4.splat(evenUpTo(even, 4) - (first as i32))
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
        const fu = f32x4.floor(u)
        const column = i32x4.max_s(none, i32x4.min_s(lastColumn, i32x4.trunc_sat_f32x4_s(fu)))
        // Between rays that are there at this radius: each mask that holds makes them twice as far apart.
        let apart = one, back = f32x4.splat(1)
        const is1 = i32x4.le_s(column, even1)
        if (v128.any_true(is1)) {
          const is2 = i32x4.le_s(column, even2), is3 = i32x4.le_s(column, even3), is4 = i32x4.le_s(column, even4)
          apart = i32x4.add(apart, v128.and(apart, is1))
          apart = i32x4.add(apart, v128.and(apart, is2))
          apart = i32x4.add(apart, v128.and(apart, is3))
          apart = i32x4.add(apart, v128.and(apart, is4))
          back = v128.bitselect(f32x4.mul(back, half), back, is1)
          back = v128.bitselect(f32x4.mul(back, half), back, is2)
          back = v128.bitselect(f32x4.mul(back, half), back, is3)
          back = v128.bitselect(f32x4.mul(back, half), back, is4)
        }
        let v = f32x4.mul(angle, perStep)
        if (!isRound) v = f32x4.max(zero, f32x4.min(lastRay, v))
        v = f32x4.mul(v, back)
        const fv = f32x4.floor(v)
        const px = f32x4.sub(u, fu), py = f32x4.sub(v, fv)
        let upper = i32x4.mul(i32x4.trunc_sat_f32x4_s(fv), apart), lower = i32x4.add(upper, apart)
        if (isRound) upper = i32x4.sub(upper, v128.and(all, i32x4.ge_s(upper, all)))
        // Past the last of them: the first one, or none.
        lower = v128.bitselect(isRound ? i32x4.sub(lower, all) : upper, lower, i32x4.ge_s(lower, all))
        const along = i32x4.shl(column, 4)
        const a = i32x4.add(i32x4.mul(upper, stride), along), b = i32x4.add(i32x4.mul(lower, stride), along)
        const at = out + (((y * width + x) as usize) << 4)
        const many = x1 - x
        const first = betweenRays(
          rays + (i32x4.extract_lane(a, 0) as usize), rays + (i32x4.extract_lane(b, 0) as usize),
          v128.shuffle<f32>(px, px, 0, 0, 0, 0), v128.shuffle<f32>(py, py, 0, 0, 0, 0),
        )
        v128.store(at, f32x4.mul(first, factor))
        if (many < 2) continue
        const second = betweenRays(
          rays + (i32x4.extract_lane(a, 1) as usize), rays + (i32x4.extract_lane(b, 1) as usize),
          v128.shuffle<f32>(px, px, 1, 1, 1, 1), v128.shuffle<f32>(py, py, 1, 1, 1, 1),
        )
        v128.store(at, f32x4.mul(second, factor), 16)
        if (many < 3) continue
        const third = betweenRays(
          rays + (i32x4.extract_lane(a, 2) as usize), rays + (i32x4.extract_lane(b, 2) as usize),
          v128.shuffle<f32>(px, px, 2, 2, 2, 2), v128.shuffle<f32>(py, py, 2, 2, 2, 2),
        )
        v128.store(at, f32x4.mul(third, factor), 32)
        if (many < 4) continue
        const fourth = betweenRays(
          rays + (i32x4.extract_lane(a, 3) as usize), rays + (i32x4.extract_lane(b, 3) as usize),
          v128.shuffle<f32>(px, px, 3, 3, 3, 3), v128.shuffle<f32>(py, py, 3, 3, 3, 3),
        )
        v128.store(at, f32x4.mul(fourth, factor), 48)
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

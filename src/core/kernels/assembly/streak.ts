// @ts-nocheck: AssemblyScript, checked by its own compiler
import { bendAt, block, farthestTap, high, isLit, low, mixed, sumShift, tapped, tappedByChannel, tileShift } from './taps'
import { thread } from './thread'

// Light drawn out along lines that are straight across the picture.

/** First x (from) or one past the last (to) where −1 < c + x·slope < height. */
@inline
function firstInside(c: f64, slope: f64, width: i32, height: i32): i32 {
  if (slope == 0) return c > -1 && c < height ? 0 : width
  const edge = slope > 0 ? (-1 - c) / slope : ((height as f64) - c) / slope
  return max<i32>(0, min<i32>(width, (Math.floor(edge) as i32) + 1))
}

@inline
function lastInside(c: f64, slope: f64, width: i32, height: i32): i32 {
  if (slope == 0) return c > -1 && c < height ? width : 0
  const edge = slope > 0 ? ((height as f64) - c) / slope : (-1 - c) / slope
  return max<i32>(0, min<i32>(width, (Math.ceil(edge) as i32)))
}

/** Where the line of row 0 runs at each x: the row above it, and how far below that it is. Other rows run alike. */
function slant(table: usize, first: f64, slope: f64, width: i32): void {
  for (let x = 0; x < width; x++) {
    const y = first + (x as f64) * slope
    const fy = Math.floor(y)
    store<i32>(table + ((x as usize) << 3), fy as i32)
    store<f32>(table + ((x as usize) << 3), (y - fy) as f32, 4)
  }
}

/** Whether any value of a tile of 64 × 64 pixels is not 0: rows y0 … y1 of tiles. */
export function litTiles(out: usize, src: usize, tiles: i32, width: i32, height: i32, y0: i32, y1: i32): void {
  for (let ty = y0; ty < y1; ty++)
    for (let tx = 0; tx < tiles; tx++) {
      const bottom = min<i32>(height, (ty + 1) << tileShift), left = tx << tileShift
      const right = min<i32>(width, left + (1 << tileShift))
      let seen = f32x4.splat(0)
      for (let y = ty << tileShift; y < bottom; y++) {
        const end = src + (((y * width + right) as usize) << 4)
        for (let at = src + (((y * width + left) as usize) << 4); at < end; at += 16) seen = v128.or(seen, v128.load(at))
        if (v128.any_true(seen)) break
      }
      store<f32>(out + (((ty * tiles + tx) as usize) << 2), v128.any_true(seen) ? 1 : 0)
    }
}

export function streakLines(
  out: usize, src: usize, tiles: usize, scratch: usize, scratchBytes: i32, ahead: usize, aheadCount: i32, behind: usize, behindCount: i32,
  byChannel: i32, slope: f64, first: f64, width: i32, height: i32, y0: i32, y1: i32,
): void {
  const line = scratch + ((thread * scratchBytes) as usize)
  const sums = line + ((width as usize) << 4)
  const stride = (width as usize) << 4
  const zero = f32x4.splat(0)
  const slants = sums + ((width as usize) << sumShift)
  slant(slants, first, slope, width)
  const across = (width + (1 << tileShift) - 1) >> tileShift, down = (height + (1 << tileShift) - 1) >> tileShift
  for (let x0 = 0; x0 < width; x0 += block) {
    const x1 = min<i32>(width, x0 + block)
    for (let row = y0; row < y1; row++) {
      const target = out + (row as usize) * stride
      const begin = first + (row as f64) + slope * (x0 as f64)
      if (!isLit(tiles, across, down, x0 as f64, begin, (x1 - 1) as f64, begin + slope * ((x1 - 1 - x0) as f64))) {
        memory.fill(target + ((x0 as usize) << 4), 0, ((x1 - x0) as usize) << 4)
        continue
      }
      for (let x = x0; x < x1; x++) {
        const upper = row + load<i32>(slants + ((x as usize) << 3))
        const at = src + (((upper * width + x) as usize) << 4)
        const a = upper >= 0 && upper < height ? v128.load(at) : zero
        const b = upper >= -1 && upper < height - 1 ? v128.load(at + stride) : zero
        v128.store(target + ((x as usize) << 4), mixed(a, b, v128.load32_splat(slants + ((x as usize) << 3), 4)))
      }
    }
  }
  for (let row = y0; row < y1; row++) {
    const c = first + (row as f64)
    const target = out + (row as usize) * stride
    const from = firstInside(c, slope, width, height)
    const to = lastInside(c, slope, width, height)
    const count = to - from
    if (count <= 0) continue
    let lit = 0
    for (let x = from; x < to; x++) lit += v128.any_true(v128.load(target + ((x as usize) << 4))) as i32
    if (lit == 0) continue
    memory.copy(line, target + ((from as usize) << 4), (count as usize) << 4)
    if (lit * 3 < count) {
      drawLights(line, sums, target + ((from as usize) << 4), count, ahead, aheadCount, behind, behindCount, byChannel)
      continue
    }
    if (aheadCount > 0) drawLine(line, sums, target, from, count, ahead, aheadCount, byChannel, 1, false)
    if (behindCount > 0) drawLine(line, sums, target, from, count, behind, behindCount, byChannel, -1, aheadCount > 0)
  }
}

/**
 * A line of few lights, drawn out both ways at once: each light bends the line where its profile does, and the bends are summed up twice. Seen from
 * the other end a profile bends two samples nearer. Bends before the line's begin are what it begins with.
 */
function drawLights(
  line: usize, bends: usize, target: usize, count: i32, ahead: usize, aheadCount: i32, behind: usize, behindCount: i32, byChannel: i32,
): void {
  const tables = byChannel ? 3 : 1
  let firstLit = 0, lastLit = count - 1
  while (!v128.any_true(v128.load(line + ((firstLit as usize) << 4)))) firstLit++
  while (!v128.any_true(v128.load(line + ((lastLit as usize) << 4)))) lastLit--
  // Beyond the reach of its lights a line is dark.
  const begin = max<i32>(0, firstLit - max<i32>(0, farthestTap(behind, tables * behindCount) - 2))
  const end = min<i32>(count, lastLit + max<i32>(2, farthestTap(ahead, tables * aheadCount)) + 1)
  memory.fill(target, 0, (begin as usize) << 4)
  memory.fill(target + ((end as usize) << 4), 0, ((count - end) as usize) << 4)
  memory.fill(bends + ((begin as usize) << sumShift), 0, ((end - begin) as usize) << sumShift)
  let lo = f64x2.splat(0), hi = f64x2.splat(0), lo2 = f64x2.splat(0), hi2 = f64x2.splat(0)
  for (let i = firstLit; i <= lastLit; i++) {
    const value = v128.load(line + ((i as usize) << 4))
    if (!v128.any_true(value)) continue
    for (let c = 0; c < tables; c++) {
      const own = !byChannel ? value : v128.and(value, c == 0 ? i32x4(-1, 0, 0, 0) : c == 1 ? i32x4(0, -1, 0, 0) : i32x4(0, 0, -1, 0))
      const a = low(own), b = high(own)
      let tap = ahead + (((c * aheadCount) as usize) << 4)
      for (let k = 0; k < aheadCount; k++, tap += 16) {
        const n = i + load<i32>(tap)
        if (n >= end) break
        bendAt(bends, n, a, b, load<f64>(tap, 8))
      }
      tap = behind + (((c * behindCount) as usize) << 4)
      for (let k = 0; k < behindCount; k++, tap += 16) {
        const n = i + 2 - load<i32>(tap)
        if (n >= end) continue
        const weight = load<f64>(tap, 8)
        if (n >= 0) {
          bendAt(bends, n, a, b, weight)
          continue
        }
        const w = f64x2.splat(weight), w2 = f64x2.splat(weight * (-n as f64))
        lo = f64x2.add(lo, f64x2.mul(a, w))
        hi = f64x2.add(hi, f64x2.mul(b, w))
        lo2 = f64x2.add(lo2, f64x2.mul(a, w2))
        hi2 = f64x2.add(hi2, f64x2.mul(b, w2))
      }
    }
  }
  for (let n = begin; n < end; n++) {
    const at = bends + ((n as usize) << sumShift)
    lo = f64x2.add(lo, v128.load(at))
    hi = f64x2.add(hi, v128.load(at, 16))
    lo2 = f64x2.add(lo2, lo)
    hi2 = f64x2.add(hi2, hi)
    v128.store(target + ((n as usize) << 4), v128.shuffle<f32>(f32x4.demote_f64x2_zero(lo2), f32x4.demote_f64x2_zero(hi2), 0, 1, 4, 5))
  }
}

/** One line drawn out one way: forwards, or backwards from its end; added to what is there on wish. */
@inline
function drawLine(
  line: usize, sums: usize, target: usize, from: i32, count: i32, taps: usize, tapCount: i32, byChannel: i32, way: i32, isAdded: bool,
): void {
  let lo = f64x2.splat(0), hi = f64x2.splat(0), lo2 = f64x2.splat(0), hi2 = f64x2.splat(0)
  const begin = way > 0 ? 0 : count - 1
  for (let i = 0; i < count; i++) {
    const place = begin + way * i
    const value = v128.load(line + ((place as usize) << 4))
    lo = f64x2.add(lo, low(value))
    hi = f64x2.add(hi, high(value))
    lo2 = f64x2.add(lo2, lo)
    hi2 = f64x2.add(hi2, hi)
    const sum = sums + ((i as usize) << sumShift)
    v128.store(sum, lo2)
    v128.store(sum, hi2, 16)
    const at = target + (((from + place) as usize) << 4)
    const drawn = byChannel ? tappedByChannel(sums, taps, tapCount, i) : tapped(sums, taps, tapCount, i, 0, 1)
    v128.store(at, isAdded ? f32x4.add(v128.load(at), drawn) : drawn)
  }
}

export function streakBack(
  out: usize, lines: usize, scratch: usize, scratchBytes: i32, slope: f64, first: f64, count: i32, gain: f32, width: i32,
  y0: i32, y1: i32,
): void {
  const factor = f32x4.splat(gain)
  const stride = (width as usize) << 4
  const slants = scratch + ((thread * scratchBytes) as usize)
  slant(slants, -first, -slope, width)
  for (let x0 = 0; x0 < width; x0 += block) {
    const x1 = min<i32>(width, x0 + block)
    for (let y = y0; y < y1; y++) {
      const target = out + (y as usize) * stride
      for (let x = x0; x < x1; x++) {
        const whole = min<i32>(count - 2, max<i32>(0, y + load<i32>(slants + ((x as usize) << 3))))
        const part = v128.load32_splat(slants + ((x as usize) << 3), 4)
        const at = lines + (whole as usize) * stride + ((x as usize) << 4)
        const value = mixed(v128.load(at), v128.load(at + stride), part)
        const place = target + ((x as usize) << 4)
        v128.store(place, f32x4.add(v128.load(place), f32x4.mul(value, factor)))
      }
    }
  }
}

/** Rows of `out` are columns of `src`, in blocks so that both stay in the cache. */
export function transpose(out: usize, src: usize, outWidth: i32, outHeight: i32, y0: i32, y1: i32): void {
  for (let top = y0; top < y1; top += 8) {
    const bottom = min<i32>(y1, top + 8)
    for (let x = 0; x < outWidth; x++) {
      const from = src + (((x * outHeight) as usize) << 4)
      for (let y = top; y < bottom; y++)
        v128.store(out + (((y * outWidth + x) as usize) << 4), v128.load(from + ((y as usize) << 4)))
    }
  }
}

// @ts-nocheck: AssemblyScript, checked by its own compiler

/** Sums along rows: out(x) = src(0) + … + src(x), for four channels or one. */
export function rowSums(out: usize, src: usize, channels: i32, width: i32, y0: i32, y1: i32): void {
  for (let y = y0; y < y1; y++) {
    const start = (y * width) as usize
    if (channels == 4) {
      let lo = f64x2.splat(0), hi = f64x2.splat(0)
      for (let x = 0; x < width; x++) {
        const at = (start + x) << 4
        const p = v128.load(src + at)
        lo = f64x2.add(lo, f64x2.promote_low_f32x4(p))
        hi = f64x2.add(hi, f64x2.promote_low_f32x4(v128.shuffle<i64>(p, p, 1, 1)))
        v128.store(out + at, v128.shuffle<i64>(f32x4.demote_f64x2_zero(lo), f32x4.demote_f64x2_zero(hi), 0, 2))
      }
    } else {
      let sum: f64 = 0
      for (let x = 0; x < width; x++) {
        sum += load<f32>(src + ((start + x) << 2)) as f64
        store<f32>(out + ((start + x) << 2), sum as f32)
      }
    }
  }
}

@inline
function heldAt(i: i32, n: i32): i32 {
  return max<i32>(0, min<i32>(n - 1, i))
}

/** The sum of a row before pixel `i`, from sums of rowSums; beyond the ends the outermost pixel goes on. */
@inline
function before(sums: usize, row: usize, i: i32, width: i32): v128 {
  if (i <= 0) return f32x4.mul(v128.load(sums + (row << 4)), f32x4.splat(i as f32))
  if (i <= width) return v128.load(sums + ((row + i - 1) << 4))
  const last = v128.load(sums + ((row + width - 1) << 4))
  const end = width > 1 ? f32x4.sub(last, v128.load(sums + ((row + width - 2) << 4))) : last
  return f32x4.add(last, f32x4.mul(end, f32x4.splat((i - width) as f32)))
}

@inline
function before1(sums: usize, row: usize, i: i32, width: i32): f32 {
  if (i <= 0) return load<f32>(sums + (row << 2)) * (i as f32)
  if (i <= width) return load<f32>(sums + ((row + i - 1) << 2))
  const last = load<f32>(sums + ((row + width - 1) << 2))
  const end = width > 1 ? last - load<f32>(sums + ((row + width - 2) << 2)) : last
  return last + end * ((i - width) as f32)
}

/** One pixel near the left or the right edge, where sums lie beyond it. */
@inline
function atEdge(sums: usize, pairs: usize, count: i32, x: i32, y: i32, width: i32, height: i32): v128 {
  let sum = f32x4.splat(0)
  for (let k = 0, pair = pairs; k < count; k++, pair += 16) {
    const row = (heldAt(y + (load<f32>(pair) as i32), height) * width) as usize
    const i = x + (load<f32>(pair, 4) as i32)
    sum = f32x4.add(sum, f32x4.mul(before(sums, row, i, width), v128.load32_splat(pair, 8)))
    sum = f32x4.add(sum, f32x4.mul(before(sums, row, i + 1, width), v128.load32_splat(pair, 12)))
  }
  return sum
}
@inline
function atEdge1(sums: usize, pairs: usize, count: i32, x: i32, y: i32, width: i32, height: i32): f32 {
  let sum: f32 = 0
  for (let k = 0, pair = pairs; k < count; k++, pair += 16) {
    const row = (heldAt(y + (load<f32>(pair) as i32), height) * width) as usize
    const i = x + (load<f32>(pair, 4) as i32)
    sum += before1(sums, row, i, width) * load<f32>(pair, 8) + before1(sums, row, i + 1, width) * load<f32>(pair, 12)
  }
  return sum
}

/** Tiles by which it is known where a layer has pixels: 64 × 8 of them, as powers of two. A row of one stays in the nearest cache. */
const acrossShift = 6, downShift = 3

/** Writes what is known without summing: 0 where a tile says 0, 1 where it says 2. False where there is something to sum, as where there are no tiles. */
@inline
function isPlain(to: usize, bytes: usize, tiles: usize, columns: i32, x: i32, y: i32): bool {
  if (tiles == 0) return false
  const tile = load<f32>(tiles + ((((y >> downShift) * columns + (x >> acrossShift)) as usize) << 2))
  if (tile == 1) return false
  const value: f32 = tile == 2 ? 1 : 0
  for (let at = to; at < to + bytes; at += 4) store<f32>(at, value)
  return true
}

/**
 * Sums over an area, from sums of rowSums. `pairs` are of two sums side by side, four floats each: in which row, before which pixel the first
 * ends, and what each counts; two pairs after each other are of one row. `ahead` and `past` are the farthest of them to the left and right.
 */
export function sumOfPairs(
  out: usize, sums: usize, tiles: usize, channels: i32, pairs: usize, count: i32, ahead: i32, past: i32, width: i32, height: i32, y0: i32, y1: i32,
): void {
  // Pixels whose sums all lie inside need no care at the ends; what ends before the first pixel is no sum of the table.
  const inner = min<i32>(width, max<i32>(0, 1 - ahead))
  const outer = max<i32>(inner, min<i32>(width, width + 1 - past))
  const shift: usize = channels == 4 ? 4 : 2
  const columns = (width + (1 << acrossShift) - 1) >> acrossShift
  for (let column = 0; column < columns; column++)
    for (let y = y0; y < y1; y++) {
      const left = column << acrossShift, right = min<i32>(width, left + (1 << acrossShift))
      const line = out + (((y * width) as usize) << shift)
      if (isPlain(line + ((left as usize) << shift), ((right - left) as usize) << shift, tiles, columns, left, y)) continue
      const x0 = max<i32>(left, inner), x1 = max<i32>(x0, min<i32>(right, outer))
      const to = line + ((x0 as usize) << shift), bytes = ((x1 - x0) as usize) << shift
      const end = to + bytes
      memory.fill(to, 0, bytes)
      if (x1 > x0) for (let k = 0, pair = pairs; k < count; k += 2, pair += 32) {
        const row = heldAt(y + (load<f32>(pair) as i32), height) * width + x0 - 1
        let a = sums + (((row + (load<f32>(pair, 4) as i32)) as usize) << shift), b = sums + (((row + (load<f32>(pair, 20) as i32)) as usize) << shift)
        const fa = v128.load32_splat(pair, 8), fa1 = v128.load32_splat(pair, 12), fb = v128.load32_splat(pair, 24), fb1 = v128.load32_splat(pair, 28)
        let at = to
        if (channels == 4) {
          let p = v128.load(a), q = v128.load(b)
          for (; at < end; at += 16) {
            const p1 = v128.load(a, 16), q1 = v128.load(b, 16)
            const lefts = f32x4.add(f32x4.mul(p, fa), f32x4.mul(p1, fa1)), rights = f32x4.add(f32x4.mul(q, fb), f32x4.mul(q1, fb1))
            v128.store(at, f32x4.add(v128.load(at), f32x4.add(lefts, rights)))
            p = p1
            q = q1
            a += 16
            b += 16
          }
        } else {
          for (; at + 16 <= end; at += 16) {
            const lefts = f32x4.add(f32x4.mul(v128.load(a), fa), f32x4.mul(v128.load(a, 4), fa1))
            const rights = f32x4.add(f32x4.mul(v128.load(b), fb), f32x4.mul(v128.load(b, 4), fb1))
            v128.store(at, f32x4.add(v128.load(at), f32x4.add(lefts, rights)))
            a += 16
            b += 16
          }
          for (; at < end; at += 4) {
            const lefts = load<f32>(a) * load<f32>(pair, 8) + load<f32>(a, 4) * load<f32>(pair, 12)
            store<f32>(at, load<f32>(at) + (lefts + (load<f32>(b) * load<f32>(pair, 24) + load<f32>(b, 4) * load<f32>(pair, 28))))
            a += 4
            b += 4
          }
        }
      }
      for (let x = left; x < right; x++) {
        if (x == x0) x = x1
        if (x >= right) break
        if (channels == 4) v128.store(line + ((x as usize) << 4), atEdge(sums, pairs, count, x, y, width, height))
        else store<f32>(line + ((x as usize) << 2), atEdge1(sums, pairs, count, x, y, width, height))
      }
    }
}

/** What lies between two ends of a row to the right and their mirrors to the left, near the edge of the picture. */
@inline
function mirrored(sums: usize, row: usize, x: i32, i: i32, own: v128, next: v128, width: i32): v128 {
  const first = f32x4.sub(before(sums, row, x + i, width), before(sums, row, x + 1 - i, width))
  const second = f32x4.sub(before(sums, row, x + i + 1, width), before(sums, row, x - i, width))
  return f32x4.add(f32x4.mul(first, own), f32x4.mul(second, next))
}
@inline
function mirrored1(sums: usize, row: usize, x: i32, i: i32, own: f32, next: f32, width: i32): f32 {
  const first = before1(sums, row, x + i, width) - before1(sums, row, x + 1 - i, width)
  return first * own + (before1(sums, row, x + i + 1, width) - before1(sums, row, x - i, width)) * next
}

/** The sum of one pixel of a row above and of its mirror below. */
@inline
function both(a: usize, b: usize): v128 {
  return f32x4.add(v128.load(a), v128.load(b))
}

/** Adds what lies between two ends to the right and their mirrors to the left. */
@inline
function between(sum: v128, q0: v128, l0: v128, q1: v128, l1: v128, own: v128, next: v128): v128 {
  return f32x4.add(sum, f32x4.add(f32x4.mul(f32x4.sub(q0, l0), own), f32x4.mul(f32x4.sub(q1, l1), next)))
}

/**
 * As sumOfPairs, of an area that is alike in its four quarters. `ends` has of the lower right one, four floats each: a row below the pixel, before
 * which pixel the first of two sums ends, and what each counts; those to the left count as much less, and rows above as those below.
 * `reach` is the farthest.
 */
export function sumOfQuarters(
  out: usize, sums: usize, tiles: usize, channels: i32, ends: usize, count: i32, reach: i32, width: i32, height: i32, y0: i32, y1: i32,
): void {
  const inner = min<i32>(width, reach + 1), outer = max<i32>(inner, width - reach)
  const shift: usize = channels == 4 ? 4 : 2
  const columns = (width + (1 << acrossShift) - 1) >> acrossShift
  for (let column = 0; column < columns; column++)
    for (let y = y0; y < y1; y++) {
      const left = column << acrossShift, right = min<i32>(width, left + (1 << acrossShift))
      const line = out + (((y * width) as usize) << shift)
      if (isPlain(line + ((left as usize) << shift), ((right - left) as usize) << shift, tiles, columns, left, y)) continue
      const x0 = max<i32>(left, inner), x1 = max<i32>(x0, min<i32>(right, outer))
      const to = line + ((x0 as usize) << shift), bytes = ((x1 - x0) as usize) << shift
      const stop = to + bytes
      memory.fill(to, 0, bytes)
      if (x1 > x0) for (let k = 0, end = ends; k < count; k++, end += 16) {
        const dy = load<f32>(end) as i32, i = load<f32>(end, 4) as i32
        const up = sums + (((heldAt(y - dy, height) * width + x0 - 1) as usize) << shift), down = sums + (((heldAt(y + dy, height) * width + x0 - 1) as usize) << shift)
        const far = (i as usize) << shift
        const own = v128.load32_splat(end, 8), next = v128.load32_splat(end, 12)
        let a = up + far, b = down + far, c = up - far, d = down - far
        let at = to
        if (channels == 4) {
          let q = both(a, b), l = both(c, d)
          for (; at < stop; at += 16) {
            a += 16
            b += 16
            c += 16
            d += 16
            const q1 = both(a, b), l1 = both(c, d)
            v128.store(at, between(v128.load(at), q, l1, q1, l, own, next))
            q = q1
            l = l1
          }
        } else {
          for (; at + 16 <= stop; at += 16) {
            v128.store(at, between(v128.load(at), both(a, b), both(c + 4, d + 4), both(a + 4, b + 4), both(c, d), own, next))
            a += 16
            b += 16
            c += 16
            d += 16
          }
          for (; at < stop; at += 4) {
            const first = load<f32>(a) + load<f32>(b) - (load<f32>(c, 4) + load<f32>(d, 4)), second = load<f32>(a, 4) + load<f32>(b, 4) - (load<f32>(c) + load<f32>(d))
            store<f32>(at, load<f32>(at) + (first * load<f32>(end, 8) + second * load<f32>(end, 12)))
            a += 4
            b += 4
            c += 4
            d += 4
          }
        }
      }
      for (let x = left; x < right; x++) {
        if (x == x0) x = x1
        if (x >= right) break
        let sum = f32x4.splat(0)
        let sum1: f32 = 0
        for (let k = 0, end = ends; k < count; k++, end += 16) {
          const dy = load<f32>(end) as i32, i = load<f32>(end, 4) as i32
          const up = (heldAt(y - dy, height) * width) as usize, down = (heldAt(y + dy, height) * width) as usize
          if (channels == 4) {
            const own = v128.load32_splat(end, 8), next = v128.load32_splat(end, 12)
            sum = f32x4.add(sum, f32x4.add(mirrored(sums, up, x, i, own, next, width), mirrored(sums, down, x, i, own, next, width)))
          } else {
            const own = load<f32>(end, 8), next = load<f32>(end, 12)
            sum1 += mirrored1(sums, up, x, i, own, next, width) + mirrored1(sums, down, x, i, own, next, width)
          }
        }
        if (channels == 4) v128.store(line + ((x as usize) << 4), sum)
        else store<f32>(line + ((x as usize) << 2), sum1)
      }
    }
}

/** See ApertureKernels.focusRadius. */
export function focusRadius(out: usize, depth: usize, focus: f32, range: f32, behind: f32, inFront: f32, width: i32, y0: i32, y1: i32): void {
  const end = (y1 * width) as usize, half = range * 0.5
  for (let i = (y0 * width) as usize; i < end; i++) {
    const d = load<f32>(depth + (i << 2)), from = d - focus
    let radius: f32 = 0
    if (d >= 1e30) radius = -behind
    else if (from > half) radius = focus + half <= 0 ? -behind : -behind * ((1.0 as f32) - (focus + half) / d)
    else if (from < -half) radius = d <= 0 || focus - half <= 0 ? inFront : min<f32>(inFront, inFront * ((focus - half) / d - 1))
    store<f32>(out + (i << 2), radius)
  }
}

/** A value, 0 in place of what is no number. */
@inline
function numberAt(src: usize, i: usize): f32 {
  const v = load<f32>(src + (i << 2))
  return v == v ? v : 0
}

/** See ApertureKernels.cellRanges. */
export function cellRanges(out: usize, src: usize, borders: usize, count: i32, width: i32, y0: i32, y1: i32): void {
  let k = 0
  for (let y = y0; y < y1; y++) {
    const own = out + (((y * count * 2) as usize) << 2)
    for (let c = 0; c < count; c++) {
      store<f32>(own + ((c as usize) << 3), Infinity)
      store<f32>(own + ((c as usize) << 3), -Infinity, 4)
    }
    for (let x = 0; x < width; x++) {
      const v = numberAt(src, (y * width + x) as usize)
      // Neighbours are mostly of one cell.
      while (k > 0 && v < load<f32>(borders + ((k as usize) << 2))) k--
      while (k < count - 1 && v >= load<f32>(borders + ((k as usize) << 2), 4)) k++
      const cell = own + ((k as usize) << 3)
      if (v < load<f32>(cell)) store<f32>(cell, v)
      if (v > load<f32>(cell, 4)) store<f32>(cell, v, 4)
    }
  }
}

/** See ApertureKernels.placeBetween. */
export function placeBetween(out: usize, src: usize, layers: usize, count: i32, width: i32, y0: i32, y1: i32): void {
  const end = (y1 * width) as usize
  let k = 0
  for (let i = (y0 * width) as usize; i < end; i++) {
    const v = numberAt(src, i)
    while (k > 0 && v < load<f32>(layers + ((k as usize) << 2))) k--
    while (k < count - 1 && v >= load<f32>(layers + ((k as usize) << 2), 4)) k++
    const layer = layers + ((k as usize) << 2)
    const own = load<f32>(layer)
    let share: f32 = k < count - 1 ? min<f32>(1, max<f32>(0, (v - own) / (load<f32>(layer, 4) - own))) : 0
    // Close to a layer is in it whole.
    share = share < 0.03125 ? 0 : share > 0.96875 ? 1 : share
    store<f32>(out + (i << 2), (k as f32) + share)
  }
}

/** See ApertureKernels.layersIn. */
export function layersIn(out: usize, places: usize, layers: i32, columns: i32, width: i32, height: i32, y0: i32, y1: i32): void {
  for (let ty = y0; ty < y1; ty++) {
    const own = out + (((ty * layers * columns) as usize) << 2)
    memory.fill(own, 0, ((layers * columns) as usize) << 2)
    const bottom = min<i32>(height, (ty + 1) << downShift)
    for (let y = ty << downShift; y < bottom; y++)
      for (let x = 0; x < width; x++) {
        const place = load<f32>(places + (((y * width + x) as usize) << 2))
        const k = place as i32
        const at = own + (((k * columns + (x >> acrossShift)) as usize) << 2)
        store<f32>(at, 1)
        if (place > (k as f32)) store<f32>(at + ((columns as usize) << 2), 1)
      }
  }
}

/** See ApertureKernels.sliceSums. */
export function sliceSums(out: usize, src: usize, places: usize, at: f32, channels: i32, width: i32, y0: i32, y1: i32): void {
  for (let y = y0; y < y1; y++) {
    const start = (y * width) as usize
    if (channels == 4) {
      let lo = f64x2.splat(0), hi = f64x2.splat(0)
      for (let i = start; i < start + width; i++) {
        const share = max<f32>(0, (1.0 as f32) - abs<f32>(load<f32>(places + (i << 2)) - at))
        const p = f32x4.mul(v128.load(src + (i << 4)), f32x4.splat(share))
        lo = f64x2.add(lo, f64x2.promote_low_f32x4(p))
        hi = f64x2.add(hi, f64x2.promote_low_f32x4(v128.shuffle<i64>(p, p, 1, 1)))
        v128.store(out + (i << 4), v128.shuffle<i64>(f32x4.demote_f64x2_zero(lo), f32x4.demote_f64x2_zero(hi), 0, 2))
      }
    } else {
      let sum: f64 = 0
      for (let i = start; i < start + width; i++) {
        sum += min<f32>(1, max<f32>(0, (1.0 as f32) - (load<f32>(places + (i << 2)) - at))) as f64
        store<f32>(out + (i << 2), sum as f32)
      }
    }
  }
}

/** See ApertureKernels.halveKnown. */
export function halveKnown(out: usize, known: usize, src: usize, srcKnown: usize, ow: i32, sw: i32, sh: i32, y0: i32, y1: i32): void {
  for (let y = y0; y < y1; y++) {
    const top = (2 * y * sw) as usize, below = 2 * y + 1 < sh ? top + sw : top
    for (let x = 0; x < ow; x++) {
      const left = (2 * x) as usize, right = 2 * x + 1 < sw ? left + 1 : left
      const a = top + left, b = top + right, c = below + left, d = below + right
      const sum = f32x4.add(
        f32x4.add(v128.load(src + (a << 4)), v128.load(src + (b << 4))),
        f32x4.add(v128.load(src + (c << 4)), v128.load(src + (d << 4))),
      )
      const share = load<f32>(srcKnown + (a << 2)) + load<f32>(srcKnown + (b << 2)) + load<f32>(srcKnown + (c << 2)) + load<f32>(srcKnown + (d << 2))
      v128.store(out + (((y * ow + x) as usize) << 4), f32x4.mul(sum, f32x4.splat(0.25)))
      store<f32>(known + (((y * ow + x) as usize) << 2), share * 0.25)
    }
  }
}

/** See ApertureKernels.fillIn. */
export function fillIn(out: usize, known: usize, coarse: usize, width: i32, coarseWidth: i32, y0: i32, y1: i32): void {
  for (let y = y0; y < y1; y++)
    for (let x = 0; x < width; x++) {
      const i = (y * width + x) as usize
      const share = load<f32>(known + (i << 2))
      if (share > 0.999) continue
      const trust = min<f32>(1, share * 64)
      const own: f32 = share > 0 ? trust / share : 0
      const around = v128.load(coarse + ((((y >> 1) * coarseWidth + (x >> 1)) as usize) << 4))
      const at = out + (i << 4)
      v128.store(at, f32x4.add(f32x4.mul(v128.load(at), f32x4.splat(own)), f32x4.mul(around, f32x4.splat((1.0 as f32) - trust))))
    }
}

/** The share of each pixel that lies in layer `at` of those it is placed between; of one channel out, the share in it or behind it. */
export function slice(out: usize, src: usize, places: usize, at: f32, channels: i32, width: i32, y0: i32, y1: i32): void {
  const end: usize = (y1 * width) as usize
  for (let i: usize = (y0 * width) as usize; i < end; i++) {
    const from = load<f32>(places + (i << 2)) - at
    if (channels == 4) {
      const share = max<f32>(0, (1.0 as f32) - abs<f32>(from))
      v128.store(out + (i << 4), f32x4.mul(v128.load(src + (i << 4)), f32x4.splat(share)))
    } else store<f32>(out + (i << 2), min<f32>(1, max<f32>(0, (1.0 as f32) - from)))
  }
}

/**
 * Lays a blurred layer over what lies behind it: the layer is divided by how much of it was to be seen; where next to nothing was, what is
 * behind stays. `known` holds how far the picture so far is one.
 */
export function layOver(
  out: usize, known: usize, layer: usize, seen: usize, least: f32, isWeighed: i32, width: i32, y0: i32, y1: i32,
): void {
  const end: usize = (y1 * width) as usize
  for (let i: usize = (y0 * width) as usize; i < end; i++) {
    const share = load<f32>(seen + (i << 2))
    if (!(share > least)) continue
    const p = f32x4.mul(v128.load(layer + (i << 4)), f32x4.splat((1.0 as f32) / share))
    const cover = min<f32>(1, max<f32>(0, f32x4.extract_lane(p, 3)))
    const trust = min<f32>(1, share * 64)
    const o = v128.load(out + (i << 4))
    const before = load<f32>(known + (i << 2))
    const whole: f32 = isWeighed && before > 0 ? (1.0 as f32) / before : 1
    const laid = f32x4.add(p, f32x4.mul(o, f32x4.splat(whole * ((1.0 as f32) - cover))))
    v128.store(out + (i << 4), f32x4.add(f32x4.mul(laid, f32x4.splat(trust)), f32x4.mul(o, f32x4.splat((1.0 as f32) - trust))))
    store<f32>(known + (i << 2), trust + ((1.0 as f32) - trust) * before)
  }
}

// @ts-nocheck: AssemblyScript, checked by its own compiler
import { thread } from './thread'

@inline
function heldAt(i: i32, n: i32): i32 {
  return max<i32>(0, min<i32>(n - 1, i))
}

/** Tiles by which it is known where a layer has pixels: 64 × 8 of them, as powers of two. Layers are summed for columns of tiles. */
const acrossShift = 6, downShift = 3

// How an area is summed for a column of pixels: in a ring of the rows about the present one, each as sums from its left end on, so short that all of
// it stays in the nearest cache. Each thread has numbers of its own.

/** Of each end: its row, before which pixel the first of two sums side by side ends, and what each counts; 16 bytes. */
let areaEnds: usize = 0, endCount: i32 = 0
/** Whether ends are of the lower right quarter: those to the left count as much less, and rows above as those below. */
let isQuarter: bool = false
/** Pixels of a column across, from which before it sums begin, and how many there are. */
let across: i32 = 0, ahead: i32 = 0, sumCount: i32 = 0
/** Rows above and below, and bytes of a row of the ring, of four channels and of one. */
let reach: i32 = 0, stride: i32 = 0, thinStride: i32 = 0
/** The ring of four channels, that of one, what rows of each have, what each pixel of a row counts, ends of a row as addresses, and a row of sums of each. */
let ring: usize = 0, thinRing: usize = 0, has: usize = 0, hasSeen: usize = 0, shares: usize = 0, table: usize = 0, sums: usize = 0, thinSums: usize = 0

/** An end in a table: where its four sums lie, or its one, and what two sums of each count. */
const endBytes: usize = 32

/** Reads the numbers of an area, and lays its parts out in the scratch of this thread. */
function openArea(numbers: usize, ends: usize, scratch: usize, scratchBytes: i32): void {
  areaEnds = ends
  endCount = load<f32>(numbers) as i32
  isQuarter = load<f32>(numbers, 4) != 0
  ahead = load<f32>(numbers, 8) as i32
  sumCount = load<f32>(numbers, 12) as i32
  reach = load<f32>(numbers, 16) as i32
  stride = load<f32>(numbers, 20) as i32
  thinStride = load<f32>(numbers, 24) as i32
  across = load<f32>(numbers, 28) as i32
  const rows = 2 * reach + 1
  sums = scratch + ((thread * scratchBytes) as usize)
  thinSums = sums + ((across as usize) << 4)
  table = thinSums + ((across as usize) << 2)
  ring = table + (endCount as usize) * endBytes
  thinRing = ring + ((rows * stride) as usize)
  has = thinRing + ((rows * thinStride) as usize)
  hasSeen = has + (rows as usize)
  shares = (hasSeen + (rows as usize) + 15) & ~15
}

/** Two sums of two channels each, as four floats. */
@inline
function rounded(low: v128, high: v128): v128 {
  return v128.shuffle<i64>(f32x4.demote_f64x2_zero(low), f32x4.demote_f64x2_zero(high), 0, 2)
}

@inline
function lowOf(p: v128): v128 {
  return f64x2.promote_low_f32x4(p)
}

@inline
function highOf(p: v128): v128 {
  return f64x2.promote_low_f32x4(v128.shuffle<i64>(p, p, 1, 1))
}

/** Pixels that are summed in single precision, on from sums in double: so what is dark beside a lamp is not rounded the same way again and again. */
const block: usize = 8 << 4

/** Puts a row into the ring, as sums before each pixel; beyond the picture its edge goes on. Of a layer, each pixel counts what `shares` says. */
function sumRow(to: usize, src: usize, first: i32, width: i32, isLayer: bool): void {
  const isInside = first >= 0 && first + sumCount <= width
  const end = to + ((sumCount as usize) << 4)
  let low = f64x2.splat(0), high = low
  let from = src + ((first as usize) << 4), x = first, share = shares
  v128.store(to, f32x4.splat(0))
  for (let at = to + 16; at < end;) {
    const before = rounded(low, high)
    let sum = f32x4.splat(0)
    for (const stop = min<usize>(end, at + block); at < stop; at += 16) {
      const p = v128.load(isInside ? from : src + ((heldAt(x++, width) as usize) << 4))
      sum = f32x4.add(sum, isLayer ? inLayer(p, v128.load32_splat(share)) : p)
      v128.store(at, f32x4.add(before, sum))
      from += 16
      share += 4
    }
    low = f64x2.add(low, lowOf(sum))
    high = f64x2.add(high, highOf(sum))
  }
}

/** How far four pixels lie in layer `place`, and how far in it or behind it; single instructions where min and max are many. */
@inline
function sharesAt(places: v128, place: v128): v128 {
  return f32x4.pmax(f32x4.splat(0), f32x4.sub(f32x4.splat(1), f32x4.abs(f32x4.sub(places, place))))
}

@inline
function seenAt(places: v128, place: v128): v128 {
  return f32x4.pmin(f32x4.splat(1), f32x4.pmax(f32x4.splat(0), f32x4.sub(f32x4.splat(1), f32x4.sub(places, place))))
}

/** What a layer has of a pixel; nothing of one that is not in it, whatever that is. */
@inline
function inLayer(pixel: v128, share: v128): v128 {
  return v128.and(f32x4.mul(pixel, share), f32x4.gt(share, f32x4.splat(0)))
}

/** The places of a row of the ring, beyond the picture those at its edge; in `shares` where they do not lie side by side. Up to three more are read. */
function placesOf(places: usize, first: i32, width: i32): usize {
  if (first >= 0 && first + sumCount + 3 <= width) return places + ((first as usize) << 2)
  for (let j = 0; j < sumCount + 3; j++) store<f32>(shares + ((j as usize) << 2), load<f32>(places + ((heldAt(first + j, width) as usize) << 2)))
  return shares
}

/** As sumRow, of each pixel its share in a layer; returns whether there is any. */
function sumLayer(to: usize, src: usize, places: usize, place: f32, first: i32, width: i32): bool {
  const from4 = placesOf(places, first, width)
  const bytes = (sumCount as usize) << 2, at4 = f32x4.splat(place)
  let most = f32x4.splat(0)
  for (let i: usize = 0; i < bytes; i += 16) {
    const four = sharesAt(v128.load(from4 + i), at4)
    most = f32x4.pmax(most, four)
    v128.store(shares + i, four)
  }
  if (!v128.any_true(f32x4.gt(most, f32x4.splat(0)))) {
    memory.fill(to, 0, bytes << 2)
    return false
  }
  sumRow(to, src, first, width, true)
  return true
}

/** What a row has: nothing, something, or all of every pixel. */
const none = 0, some = 1, all = 2

/** As sumRow, of how much of each pixel lies in a layer or behind it; returns what there is. */
function sumSeen(to: usize, places: usize, place: f32, first: i32, width: i32): i32 {
  const from4 = placesOf(places, first, width)
  const zero = f32x4.splat(0), at4 = f32x4.splat(place)
  const bytes = (sumCount as usize) << 2
  let most = zero, least = f32x4.splat(1), before = zero
  for (let i: usize = 0; i < bytes; i += 16) {
    const four = seenAt(v128.load(from4 + i), at4)
    most = f32x4.pmax(most, four)
    least = f32x4.pmin(least, four)
    const two = f32x4.add(four, v128.shuffle<f32>(zero, four, 0, 4, 5, 6))
    const sums = f32x4.add(before, f32x4.add(two, v128.shuffle<f32>(zero, two, 0, 1, 4, 5)))
    // Before the first of four is what all those before them make.
    v128.store(to + i, v128.shuffle<f32>(before, sums, 3, 4, 5, 6))
    before = v128.shuffle<f32>(sums, sums, 3, 3, 3, 3)
  }
  return !v128.any_true(f32x4.gt(most, zero)) ? none : i32x4.all_true(f32x4.eq(least, f32x4.splat(1))) ? all : some
}

/** What rows of which all is there make of the area about the present row. */
let whole: f32 = 0

/**
 * The ends of an area about row y as addresses in a ring, for the first pixel of the column; without those whose rows have nothing, or all, which
 * is added to `whole`. Returns where they end.
 */
function endsAbout(y: i32, height: i32, from: usize, bytes: i32, shift: usize, has: usize): usize {
  const rows = 2 * reach + 1, present = y % rows
  const start = (-ahead as usize) << shift
  let own = table
  whole = 0
  for (let k = 0, end = areaEnds; k < endCount; k++, end += 16) {
    const dy = load<f32>(end) as i32, i = load<f32>(end, 4) as i32
    let below = present + heldAt(y + dy, height) - y
    below += below < 0 ? rows : below >= rows ? -rows : 0
    const far = i << (shift as i32)
    const down = from + ((below * bytes) as usize) + start
    if (isQuarter) {
      let above = present + heldAt(y - dy, height) - y
      above += above < 0 ? rows : above >= rows ? -rows : 0
      const both = has == 0 ? 2 * some : (load<u8>(has + (above as usize)) as i32) + (load<u8>(has + (below as usize)) as i32)
      if (both == 2 * none) continue
      if (both == 2 * all) {
        const width4 = (i << 2) as f32
        whole += load<f32>(end, 8) * (width4 - 2) + load<f32>(end, 12) * (width4 + 2)
        continue
      }
      const up = from + ((above * bytes) as usize) + start
      store<u32>(own, (up + far) as u32)
      store<u32>(own, (down + far) as u32, 4)
      store<u32>(own, (up - far) as u32, 8)
      store<u32>(own, (down - far) as u32, 12)
    } else {
      const one = has == 0 ? some : load<u8>(has + (below as usize)) as i32
      if (one == none) continue
      if (one == all) {
        const before = i as f32
        whole += load<f32>(end, 8) * before + load<f32>(end, 12) * (before + 1)
        continue
      }
      store<u32>(own, (down + far) as u32)
    }
    store<u64>(own, load<u64>(end, 8), 16)
    own += endBytes
  }
  return own
}

/** Two sums side by side, by what each counts. */
@inline
function both(p: v128, q: v128, own: v128, next: v128): v128 {
  return f32x4.add(f32x4.mul(p, own), f32x4.mul(q, next))
}

/** What lies between two ends to the right and their mirrors to the left. */
@inline
function between(q0: v128, l0: v128, q1: v128, l1: v128, own: v128, next: v128): v128 {
  return both(f32x4.sub(q0, l0), f32x4.sub(q1, l1), own, next)
}

/** A row of sums over the area, of four channels: an end after the other, so that few sums are held at a time. */
function addArea(tableEnd: usize): void {
  const bytes = (across as usize) << 4, stop = sums + bytes
  memory.fill(sums, 0, bytes)
  for (let end = table; end < tableEnd; end += endBytes) {
    const own = v128.load32_splat(end, 16), next = v128.load32_splat(end, 20)
    let a = load<u32>(end) as usize
    if (isQuarter) {
      let b = load<u32>(end, 4) as usize, c = load<u32>(end, 8) as usize, d = load<u32>(end, 12) as usize
      let q = f32x4.add(v128.load(a), v128.load(b)), l = f32x4.add(v128.load(c), v128.load(d))
      for (let at = sums; at < stop; at += 32) {
        const q1 = f32x4.add(v128.load(a, 16), v128.load(b, 16)), l1 = f32x4.add(v128.load(c, 16), v128.load(d, 16))
        v128.store(at, f32x4.add(v128.load(at), between(q, l1, q1, l, own, next)))
        q = f32x4.add(v128.load(a, 32), v128.load(b, 32))
        l = f32x4.add(v128.load(c, 32), v128.load(d, 32))
        v128.store(at, f32x4.add(v128.load(at, 16), between(q1, l, q, l1, own, next)), 16)
        a += 32
        b += 32
        c += 32
        d += 32
      }
      continue
    }
    // Two ends at a time, as an end is little work here.
    const other = end + endBytes < tableEnd ? end + endBytes : end
    const zero = f32x4.splat(0)
    const own1 = other == end ? zero : v128.load32_splat(other, 16), next1 = other == end ? zero : v128.load32_splat(other, 20)
    let b = load<u32>(other) as usize
    end = other
    let q = v128.load(a), p = v128.load(b)
    for (let at = sums; at < stop; at += 32) {
      const q1 = v128.load(a, 16), p1 = v128.load(b, 16)
      v128.store(at, f32x4.add(f32x4.add(v128.load(at), both(q, q1, own, next)), both(p, p1, own1, next1)))
      q = v128.load(a, 32)
      p = v128.load(b, 32)
      v128.store(at, f32x4.add(f32x4.add(v128.load(at, 16), both(q1, q, own, next)), both(p1, p, own1, next1)), 16)
      a += 32
      b += 32
    }
  }
}

/** The same of one channel, on what whole rows make. */
function addThinArea(tableEnd: usize): void {
  const stop = thinSums + ((across as usize) << 2)
  for (let at = thinSums; at < stop; at += 16) v128.store(at, f32x4.splat(whole))
  for (let end = table; end < tableEnd; end += endBytes) {
    const own = v128.load32_splat(end, 16), next = v128.load32_splat(end, 20)
    let a = load<u32>(end) as usize, b = load<u32>(end, 4) as usize, c = load<u32>(end, 8) as usize, d = load<u32>(end, 12) as usize
    for (let at = thinSums; at < stop; at += 16) {
      const q = v128.load(a), q1 = v128.load(a, 4)
      let sum: v128
      if (isQuarter) {
        const right = f32x4.add(q, v128.load(b)), right1 = f32x4.add(q1, v128.load(b, 4))
        sum = between(right, f32x4.add(v128.load(c, 4), v128.load(d, 4)), right1, f32x4.add(v128.load(c), v128.load(d)), own, next)
      } else sum = both(q, q1, own, next)
      v128.store(at, f32x4.add(v128.load(at), sum))
      a += 16
      b += 16
      c += 16
      d += 16
    }
  }
}

/** See ApertureKernels.areaSum; n counts columns. */
export function areaSum(out: usize, src: usize, scratch: usize, scratchBytes: i32, numbers: usize, ends: usize, width: i32, height: i32, n0: i32, n1: i32): void {
  openArea(numbers, ends, scratch, scratchBytes)
  for (let part = n0; part < n1; part++) {
    const left = part * across
    const bytes = (min<i32>(across, width - left) as usize) << 4
    let next = 0
    for (let y = 0; y < height; y++) {
      if (endCount == 0) {
        const pixel = ((y * width + left) as usize) << 4
        memory.copy(out + pixel, src + pixel, bytes)
        continue
      }
      for (const last = min<i32>(height - 1, y + reach); next <= last; next++)
        sumRow(ring + (((next % (2 * reach + 1)) * stride) as usize), src + (((next * width) as usize) << 4), left + ahead, width, false)
      addArea(endsAbout(y, height, ring, stride, 4, 0))
      memory.copy(out + (((y * width + left) as usize) << 4), sums, bytes)
    }
  }
}

/** Lays what is summed of a layer over a row of a column; where it is seen whole, `isOpen`, without what was summed of that. */
function layRow(out: usize, known: usize, count: i32, least: f32, isWeighed: bool, isOpen: bool, hasLayer: bool): void {
  const one = f32x4.splat(1), zero = f32x4.splat(0)
  for (let x: usize = 0; x < (count as usize); x++) {
    const share: f32 = isOpen ? 1 : load<f32>(thinSums + (x << 2))
    if (!(share > least)) continue
    const at = out + (x << 4), knownAt = known + (x << 2)
    const before = load<f32>(knownAt)
    // Nothing is laid over a picture that is whole.
    if (!hasLayer && before == 1) continue
    const p = hasLayer ? f32x4.mul(v128.load(sums + (x << 4)), f32x4.splat((1.0 as f32) / share)) : zero
    const cover = f32x4.pmin(one, f32x4.pmax(zero, v128.shuffle<f32>(p, p, 3, 3, 3, 3)))
    const trust = f32x4.pmin(one, f32x4.splat(share * 64))
    const o = v128.load(at)
    const behind = isWeighed && before > 0 && before != 1 ? f32x4.mul(o, f32x4.splat((1.0 as f32) / before)) : o
    const laid = f32x4.add(p, f32x4.mul(behind, f32x4.sub(one, cover)))
    v128.store(at, f32x4.add(f32x4.mul(laid, trust), f32x4.mul(o, f32x4.sub(one, trust))))
    const trusted = f32x4.extract_lane(trust, 0)
    store<f32>(knownAt, trusted + ((1.0 as f32) - trusted) * before)
  }
}

/** See ApertureKernels.layLayer; n counts columns of 64 pixels. `numbers` has those of an area, then of the layer. */
export function layLayer(
  out: usize, known: usize, src: usize, places: usize, lit: usize, open: usize, scratch: usize, scratchBytes: i32, numbers: usize, ends: usize, width: i32, height: i32,
  n0: i32, n1: i32,
): void {
  openArea(numbers, ends, scratch, scratchBytes)
  const at = load<f32>(numbers, 32), least = load<f32>(numbers, 36), isWeighed = load<f32>(numbers, 40) != 0
  const top = load<f32>(numbers, 44) as i32, bottom = load<f32>(numbers, 48) as i32
  const columns = (width + across - 1) >> acrossShift
  const rows = 2 * reach + 1
  for (let part = n0; part < n1; part++) {
    const left = part << acrossShift
    const count = min<i32>(across, width - left)
    // The next rows of both rings.
    let next = 0, nextSeen = 0
    for (let y = top; y < bottom; y++) {
      const tile = ((((y - top) >> downShift) * columns + part) as usize) << 2
      if (load<f32>(lit + tile) == 0 || load<f32>(open + tile) == 0) continue
      const pixel = (y * width + left) as usize
      const isOpen = load<f32>(open + tile) == 2
      let hasLayer = true
      if (endCount == 0) {
        for (let x: usize = 0; x < (count as usize); x++) {
          const place = v128.load32_splat(places + ((pixel + x) << 2))
          v128.store(sums + (x << 4), inLayer(v128.load(src + ((pixel + x) << 4)), sharesAt(place, f32x4.splat(at))))
          store<f32>(thinSums + (x << 2), f32x4.extract_lane(seenAt(place, f32x4.splat(at)), 0))
        }
      } else {
        const first = max<i32>(0, y - reach), last = min<i32>(height - 1, y + reach)
        for (next = max<i32>(next, first); next <= last; next++) {
          const start = (next * width) as usize, slot = (next % rows) as usize
          store<u8>(has + slot, sumLayer(ring + slot * (stride as usize), src + (start << 4), places + (start << 2), at, left + ahead, width) as u8)
        }
        if (!isOpen) {
          for (nextSeen = max<i32>(nextSeen, first); nextSeen <= last; nextSeen++) {
            const slot = (nextSeen % rows) as usize
            store<u8>(hasSeen + slot, sumSeen(thinRing + slot * (thinStride as usize), places + (((nextSeen * width) as usize) << 2), at, left + ahead, width) as u8)
          }
          const tableEnd = endsAbout(y, height, thinRing, thinStride, 2, hasSeen)
          if (tableEnd == table && whole <= least) continue
          addThinArea(tableEnd)
        }
        const tableEnd = endsAbout(y, height, ring, stride, 4, has)
        hasLayer = tableEnd > table
        if (hasLayer) addArea(tableEnd)
      }
      layRow(out + (pixel << 4), known + (pixel << 2), count, least, isWeighed, isOpen, hasLayer)
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

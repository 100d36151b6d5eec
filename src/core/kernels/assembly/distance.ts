// @ts-nocheck: AssemblyScript, checked by its own compiler
import { hand } from './hand'

// Exact distances of pixels to a shape. Source: Felzenszwalb & Huttenlocher 2012, lower envelope of parabolas.

/** Columns that are gone through together. */
const together = 16
const none = -1

/** For each pixel the row of the nearest one in its column that is in the shape (or, for `outside`, is not); strips y0..y1-1. */
export function nearestInColumns(out: usize, src: usize, outside: i32, width: i32, height: i32, y0: i32, y1: i32): void {
  const half = f32x4.splat(0.5)
  const flip = i32x4.splat(outside ? -1 : 0)
  const nowhere = i32x4.splat(none)
  const row = (width as usize) << 2
  for (let strip = y0; strip < y1; strip++) {
    const x0 = strip * together
    const x1 = min<i32>(width, x0 + together)
    const whole = x0 + ((x1 - x0) & ~3)
    for (let y = 0; y < height; y++) {
      const here = i32x4.splat(y)
      let x = x0
      for (; x < whole; x += 4) {
        const at = ((y * width + x) as usize) << 2
        const isSite = v128.xor(f32x4.ge(v128.load(src + at), half), flip)
        const above = y > 0 ? v128.load(out + at - row) : nowhere
        v128.store(out + at, v128.bitselect(here, above, isSite))
      }
      for (; x < x1; x++) {
        const at = ((y * width + x) as usize) << 2
        const isIn = load<f32>(src + at) >= 0.5 ? 1 : 0
        const above = y > 0 ? load<i32>(out + at - row) : none
        store<i32>(out + at, isIn != outside ? y : above)
      }
    }
    for (let y = height - 2; y >= 0; y--) {
      const here = i32x4.splat(y)
      let x = x0
      for (; x < whole; x += 4) {
        const at = ((y * width + x) as usize) << 2
        const below = v128.load(out + at + row)
        const own = v128.load(out + at)
        // Nearer below than above, or nothing above.
        const nearer = i32x4.lt_s(i32x4.sub(below, here), i32x4.sub(here, own))
        const isBelow = v128.and(i32x4.ne(below, nowhere), v128.or(i32x4.eq(own, nowhere), nearer))
        v128.store(out + at, v128.bitselect(below, own, isBelow))
      }
      for (; x < x1; x++) {
        const at = ((y * width + x) as usize) << 2
        const below = load<i32>(out + at + row)
        const own = load<i32>(out + at)
        if (below != none && (own == none || below - y < y - own)) store<i32>(out + at, below)
      }
    }
  }
}

/**
 * Distance to the nearest pixel of the shape, less what it and the next are covered beyond its half: where the shape's edge is. Written
 * only for pixels on the other side; `outside`: negative. What is farther than `reach` is beyond all reach; below 0 all is.
 */
export function distanceRows(
  out: usize, src: usize, nearest: usize, scratch: usize, scratchBytes: i32, outside: i32, reach: i32, width: i32, height: i32,
  y0: i32, y1: i32,
): void {
  const beyond: f32 = outside ? -1e9 : 1e9
  const most = reach * reach
  const sites = scratch + ((hand * scratchBytes) as usize)
  const borders = sites + ((width as usize) << 2)
  for (let y = y0; y < y1; y++) {
    const row = ((y * width) as usize) << 2
    let last = -1
    for (let q = 0; q < width && reach >= 0; q++) {
      const near = load<i32>(nearest + row + ((q as usize) << 2))
      if (near == none || near - y > reach || y - near > reach) continue
      // Inside a run of pixels of the shape none is nearest to one beside it.
      if (near == y && q > 0 && q < width - 1) {
        const at = nearest + row + ((q as usize) << 2)
        if (load<i32>(at - 4) == y && load<i32>(at + 4) == y) continue
      }
      const fq = ((y - near) * (y - near)) as f64
      let from: f64 = -1e30
      while (last >= 0) {
        const p = load<i32>(sites + ((last as usize) << 2))
        const up = y - load<i32>(nearest + row + ((p as usize) << 2))
        const fp = (up * up) as f64
        const rise = fq + ((q * q) as f64) - fp - ((p * p) as f64)
        // Neighbours are the most, and a division is slow.
        from = q - p == 1 ? rise * 0.5 : rise / ((2 * (q - p)) as f64)
        if (from > load<f64>(borders + ((last as usize) << 3))) break
        last--
        from = -1e30
      }
      last++
      store<i32>(sites + ((last as usize) << 2), q)
      store<f64>(borders + ((last as usize) << 3), from)
    }
    let k = 0
    for (let x = 0; x < width; x++) {
      const at = row + ((x as usize) << 2)
      const isIn = load<f32>(src + at) >= 0.5 ? 1 : 0
      if (isIn != outside) continue
      if (last < 0) {
        store<f32>(out + at, beyond)
        continue
      }
      while (k < last && load<f64>(borders + (((k + 1) as usize) << 3)) < (x as f64)) k++
      const q = load<i32>(sites + ((k as usize) << 2))
      const near = load<i32>(nearest + row + ((q as usize) << 2))
      const squared = (x - q) * (x - q) + (y - near) * (y - near)
      if (squared > most) {
        store<f32>(out + at, beyond)
        continue
      }
      const dx = (x - q) as f64
      const dy = (y - near) as f64
      const whole = Math.sqrt(squared as f64)
      // The edge runs through the nearest pixel, or the one before it on the way.
      const back = 1 / whole
      const nx = q + (Math.floor(dx * back + 0.5) as i32)
      const ny = near + (Math.floor(dy * back + 0.5) as i32)
      const isThere = nx >= 0 && ny >= 0 && nx < width && ny < height
      const own = load<f32>(src + (((near * width + q) as usize) << 2)) as f64
      const next = isThere && (nx != x || ny != y) ? (load<f32>(src + (((ny * width + nx) as usize) << 2)) as f64) : outside ? 1 : 0
      const distance = whole + 0.5 - (outside ? 2 - own - next : own + next)
      store<f32>(out + at, (outside ? -distance : distance) as f32)
    }
  }
}

/** Cover of a shape that is grown by `spread`: 0.5 at its edge, over `soft` pixels. */
export function edge(out: usize, distance: usize, spread: f32, soft: f32, width: i32, y0: i32, y1: i32): void {
  const perPixel: f32 = 1.0 / soft
  const end: usize = (y1 * width) as usize
  for (let i: usize = (y0 * width) as usize; i < end; i++) {
    const cover = (0.5 as f32) + (spread - load<f32>(distance + (i << 2))) * perPixel
    store<f32>(out + (i << 2), min<f32>(1, max<f32>(0, cover)))
  }
}

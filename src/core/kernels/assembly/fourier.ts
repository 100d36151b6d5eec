// @ts-nocheck: AssemblyScript, checked by its own compiler
import { thread } from './thread'

// Fourier transforms of pictures whose sides are powers of two, or three or five times one. A pixel is two complex numbers: red + i·green
// and blue + i·alpha. Neither direction is scaled. Source: Cooley & Tukey 1965; two stages of radix 2 are taken in one pass over memory, a
// stage of radix 3 or 5 comes last.

/** Columns that are transformed together. */
const together = 4

@inline
function times(v: v128, re: v128, im: v128): v128 {
  return f32x4.add(f32x4.mul(v, re), f32x4.mul(v128.shuffle<f32>(v, v, 1, 0, 3, 2), im))
}

/** −i times both numbers, or i times them: `quarter` has the signs. */
@inline
function turned(v: v128, quarter: v128): v128 {
  return f32x4.mul(v128.shuffle<f32>(v, v, 1, 0, 3, 2), quarter)
}

/**
 * `at` holds n rows of `many` pixels as `places` orders them; `twiddles` cos, sin of −2πk/n (or +) for k < n. `odd` is 1, 3 or 5 and the rest
 * of n a power of two.
 */
function transform(at: usize, n: i32, odd: i32, many: i32, twiddles: usize, isInverse: i32): void {
  const size = n / odd
  for (let r = 0; r < odd; r++) powers(at + (((r * size * many) as usize) << 4), size, n, many, twiddles, isInverse)
  if (odd == 3) threes(at, size, many, twiddles, isInverse)
  else if (odd == 5) fives(at, size, many, twiddles, isInverse)
}

/** The transform of `size` rows, a power of two, in bit-reversed order. */
function powers(at: usize, size: i32, n: i32, many: i32, twiddles: usize, isInverse: i32): void {
  const sign = f32x4(-1, 1, -1, 1)
  const step = (many as usize) << 4
  // −i forwards, i backwards: (x, y) → (y, −x) or (−y, x).
  const quarter = isInverse ? f32x4(-1, 1, -1, 1) : f32x4(1, -1, 1, -1)
  let half = 1
  let stages = 0
  for (let k = size; k > 1; k >>= 1) stages++
  if (stages & 1) {
    for (let i = 0; i < size; i += 2)
      for (let c = 0; c < many; c++) {
        const p = at + (i as usize) * step + ((c as usize) << 4)
        const a = v128.load(p)
        const b = v128.load(p + step)
        v128.store(p, f32x4.add(a, b))
        v128.store(p + step, f32x4.sub(a, b))
      }
    half = 2
  }
  for (; half < size; half <<= 2) {
    const perA = n / (2 * half)
    const perB = perA >> 1
    const far = (half as usize) * step
    for (let j = 0; j < half; j++) {
      const wa = twiddles + (((j * perA) as usize) << 3)
      const wb = twiddles + (((j * perB) as usize) << 3)
      const aRe = v128.load32_splat(wa)
      const aIm = f32x4.mul(v128.load32_splat(wa, 4), sign)
      const bRe = v128.load32_splat(wb)
      const bIm = f32x4.mul(v128.load32_splat(wb, 4), sign)
      for (let i = j; i < size; i += half << 2)
        for (let column = 0; column < many; column++) {
          const p = at + (i as usize) * step + ((column as usize) << 4)
          const a = v128.load(p)
          const b = times(v128.load(p + far), aRe, aIm)
          const c = v128.load(p + 2 * far)
          const d = times(v128.load(p + 3 * far), aRe, aIm)
          const a1 = f32x4.add(a, b)
          const b1 = f32x4.sub(a, b)
          const c1 = times(f32x4.add(c, d), bRe, bIm)
          const d1 = turned(times(f32x4.sub(c, d), bRe, bIm), quarter)
          v128.store(p, f32x4.add(a1, c1))
          v128.store(p + far, f32x4.add(b1, d1))
          v128.store(p + 2 * far, f32x4.sub(a1, c1))
          v128.store(p + 3 * far, f32x4.sub(b1, d1))
        }
    }
  }
}

@inline
function twiddled(at: usize, twiddles: usize, k: i32): v128 {
  const w = twiddles + ((k as usize) << 3)
  return times(v128.load(at), v128.load32_splat(w), f32x4.mul(v128.load32_splat(w, 4), f32x4(-1, 1, -1, 1)))
}

/** Three transforms of `size` become one. */
function threes(at: usize, size: i32, many: i32, twiddles: usize, isInverse: i32): void {
  const quarter = isInverse ? f32x4(-1, 1, -1, 1) : f32x4(1, -1, 1, -1)
  const far = ((size * many) as usize) << 4
  const half = f32x4.splat(0.5), sine = f32x4.splat(0.86602540378)
  for (let q = 0; q < size; q++)
    for (let column = 0; column < many; column++) {
      const p = at + (((q * many + column) as usize) << 4)
      const a = v128.load(p)
      const b = twiddled(p + far, twiddles, q), c = twiddled(p + 2 * far, twiddles, 2 * q)
      const sum = f32x4.add(b, c)
      const middle = f32x4.sub(a, f32x4.mul(sum, half))
      const aside = turned(f32x4.mul(f32x4.sub(b, c), sine), quarter)
      v128.store(p, f32x4.add(a, sum))
      v128.store(p + far, f32x4.add(middle, aside))
      v128.store(p + 2 * far, f32x4.sub(middle, aside))
    }
}

/** Five transforms of `size` become one. */
function fives(at: usize, size: i32, many: i32, twiddles: usize, isInverse: i32): void {
  const quarter = isInverse ? f32x4(-1, 1, -1, 1) : f32x4(1, -1, 1, -1)
  const far = ((size * many) as usize) << 4
  const cos1 = f32x4.splat(0.30901699437), cos2 = f32x4.splat(-0.80901699437), sin1 = f32x4.splat(0.95105651629), sin2 = f32x4.splat(0.58778525229)
  for (let q = 0; q < size; q++)
    for (let column = 0; column < many; column++) {
      const p = at + (((q * many + column) as usize) << 4)
      const a = v128.load(p)
      const b = twiddled(p + far, twiddles, q), c = twiddled(p + 2 * far, twiddles, 2 * q)
      const d = twiddled(p + 3 * far, twiddles, 3 * q), e = twiddled(p + 4 * far, twiddles, 4 * q)
      const s1 = f32x4.add(b, e), s2 = f32x4.add(c, d), d1 = f32x4.sub(b, e), d2 = f32x4.sub(c, d)
      const m1 = f32x4.add(a, f32x4.add(f32x4.mul(s1, cos1), f32x4.mul(s2, cos2)))
      const m2 = f32x4.add(a, f32x4.add(f32x4.mul(s1, cos2), f32x4.mul(s2, cos1)))
      const n1 = turned(f32x4.add(f32x4.mul(d1, sin1), f32x4.mul(d2, sin2)), quarter)
      const n2 = turned(f32x4.sub(f32x4.mul(d1, sin2), f32x4.mul(d2, sin1)), quarter)
      v128.store(p, f32x4.add(a, f32x4.add(s1, s2)))
      v128.store(p + far, f32x4.add(m1, n1))
      v128.store(p + 2 * far, f32x4.add(m2, n2))
      v128.store(p + 3 * far, f32x4.sub(m2, n2))
      v128.store(p + 4 * far, f32x4.sub(m1, n1))
    }
}

/** 5, 3 or 1: what a side is besides a power of two. */
@inline
function oddOf(n: i32): i32 {
  return n % 5 == 0 ? 5 : n % 3 == 0 ? 3 : 1
}

/** For each place of n, the byte offset at which `transform` wants it, for pixels of `bytes` bytes. */
function orders(table: usize, n: i32, odd: i32, bytes: i32): void {
  const size = n / odd
  store<i32>(table, 0)
  for (let filled = 1, step = size >> 1; filled < size; filled <<= 1, step >>= 1)
    for (let k = 0; k < filled; k++)
      store<i32>(table + (((filled + k) as usize) << 2), load<i32>(table + ((k as usize) << 2)) + step * bytes)
  if (odd == 1) return
  // Every third, or fifth, of them is a transform of its own.
  for (let j = size - 1; j >= 0; j--) {
    const at = load<i32>(table + ((j as usize) << 2))
    for (let r = odd - 1; r >= 0; r--) store<i32>(table + (((j * odd + r) as usize) << 2), at + r * size * bytes)
  }
}

/** Rows of a transform out of those of a picture, black where that ends. */
export function fourierRows(
  data: usize, src: usize, srcWidth: i32, scratch: usize, scratchBytes: i32, twiddles: usize, isInverse: i32, width: i32, y0: i32, y1: i32,
): void {
  const line = scratch + ((thread * scratchBytes) as usize)
  const places = line + ((width as usize) << 4)
  const odd = oddOf(width)
  orders(places, width, odd, 16)
  const zero = f32x4.splat(0)
  for (let y = y0; y < y1; y++) {
    const row = data + (((y * width) as usize) << 4), from = src + (((y * srcWidth) as usize) << 4)
    let seen = zero
    for (let x = 0; x < srcWidth; x++) {
      const value = v128.load(from + ((x as usize) << 4))
      seen = v128.or(seen, value)
      v128.store(line + (load<i32>(places + ((x as usize) << 2)) as usize), value)
    }
    if (!v128.any_true(seen)) {
      memory.fill(row, 0, (width as usize) << 4)
      continue
    }
    for (let x = srcWidth; x < width; x++) v128.store(line + (load<i32>(places + ((x as usize) << 2)) as usize), zero)
    transform(line, width, odd, 1, twiddles, isInverse)
    memory.copy(row, line, (width as usize) << 4)
  }
}

/** The first pixels of rows, transformed back, times a colour; added to what is there, or instead of it. */
export function fourierBack(
  out: usize, data: usize, scratch: usize, scratchBytes: i32, twiddles: usize, red: f32, green: f32, blue: f32, isAdded: i32, outWidth: i32,
  width: i32, y0: i32, y1: i32,
): void {
  const line = scratch + ((thread * scratchBytes) as usize)
  const places = line + ((width as usize) << 4)
  const odd = oddOf(width)
  orders(places, width, odd, 16)
  const gain = f32x4(red, green, blue, 0)
  for (let y = y0; y < y1; y++) {
    const row = data + (((y * width) as usize) << 4)
    for (let x = 0; x < width; x++) v128.store(line + (load<i32>(places + ((x as usize) << 2)) as usize), v128.load(row + ((x as usize) << 4)))
    transform(line, width, odd, 1, twiddles, 1)
    const to = out + (((y * outWidth) as usize) << 4)
    for (let x: usize = 0; x < (outWidth as usize) << 4; x += 16) {
      const value = f32x4.mul(v128.load(line + x), gain)
      v128.store(to + x, isAdded ? f32x4.add(v128.load(to + x), value) : value)
    }
  }
}

/** Columns of a picture into a strip that `transform` takes; the rows from `filled` on hold nothing. */
@inline
function intoStrip(strip: usize, places: usize, column: usize, stride: usize, columns: i32, filled: i32, height: i32): void {
  const zero = f32x4.splat(0)
  for (let y = 0; y < height; y++) {
    const from = column + (y as usize) * stride
    const to = strip + (load<i32>(places + ((y as usize) << 2)) as usize)
    for (let c = 0; c < columns; c++) v128.store(to + ((c as usize) << 4), y < filled ? v128.load(from + ((c as usize) << 4)) : zero)
  }
}

/** The first rows of a strip of `many` columns back into the picture. */
@inline
function outOfStrip(column: usize, stride: usize, strip: usize, many: i32, columns: i32, rows: i32): void {
  for (let y = 0; y < rows; y++) {
    const to = column + (y as usize) * stride
    const from = strip + (((y * many) as usize) << 4)
    for (let c = 0; c < columns; c++) v128.store(to + ((c as usize) << 4), v128.load(from + ((c as usize) << 4)))
  }
}

/** Strips y0..y1-1 of four columns each. */
export function fourierColumns(
  data: usize, scratch: usize, scratchBytes: i32, twiddles: usize, isInverse: i32, width: i32, height: i32, y0: i32, y1: i32,
): void {
  const strip = scratch + ((thread * scratchBytes) as usize)
  const stride = (width as usize) << 4
  const many = min<i32>(together, width)
  const places = strip + (((height * together) as usize) << 4)
  const odd = oddOf(height)
  orders(places, height, odd, many << 4)
  for (let s = y0; s < y1; s++) {
    const column = data + (((s * together) as usize) << 4)
    const columns = min<i32>(many, width - s * together)
    intoStrip(strip, places, column, stride, columns, height, height)
    transform(strip, height, odd, many, twiddles, isInverse)
    outOfStrip(column, stride, strip, many, columns, height)
  }
}

/**
 * Strips y0..y1-1 of four columns each, there, times near · the one and far · the other half of a filter, and back. Only the first `filled` rows
 * hold anything, and only they are made.
 */
export function filterColumns(
  data: usize, filter: usize, near: f32, far: f32, filled: i32, scratch: usize, scratchBytes: i32, ahead: usize, back: usize, width: i32, height: i32,
  y0: i32, y1: i32,
): void {
  const strip = scratch + ((thread * scratchBytes) as usize)
  const stride = (width as usize) << 4
  const many = min<i32>(together, width)
  const other = strip + (((height * together) as usize) << 4)
  const places = other + (((height * together) as usize) << 4)
  const odd = oddOf(height)
  orders(places, height, odd, many << 4)
  const n = f32x4.splat(near), f = f32x4.splat(far)
  const farAt = ((width * height) as usize) << 2
  for (let s = y0; s < y1; s++) {
    const column = data + (((s * together) as usize) << 4)
    const columns = min<i32>(many, width - s * together)
    intoStrip(strip, places, column, stride, columns, filled, height)
    transform(strip, height, odd, many, ahead, 0)
    for (let y = 0; y < height; y++) {
      const from = strip + (((y * many) as usize) << 4)
      const to = other + (load<i32>(places + ((y as usize) << 2)) as usize)
      const by = filter + (((y * width + s * together) as usize) << 2)
      for (let c = 0; c < columns; c++) {
        const at = by + ((c as usize) << 2)
        const factor = f32x4.add(f32x4.mul(v128.load32_splat(at), n), f32x4.mul(v128.load32_splat(at + farAt), f))
        v128.store(to + ((c as usize) << 4), f32x4.mul(v128.load(from + ((c as usize) << 4)), factor))
      }
    }
    transform(other, height, odd, many, back, 1)
    outOfStrip(column, stride, other, many, columns, filled)
  }
}

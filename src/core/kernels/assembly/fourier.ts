// @ts-nocheck: AssemblyScript, checked by its own compiler
import { thread } from './thread'

// Fourier transforms of pictures whose sides are powers of two. A pixel is two complex numbers: red + i·green and blue + i·alpha.
// Neither direction is scaled. Source: Cooley & Tukey 1965; two stages of radix 2 are taken in one pass over memory.

/** Columns that are transformed together. */
const together = 4

@inline
function times(v: v128, re: v128, im: v128): v128 {
  return f32x4.add(f32x4.mul(v, re), f32x4.mul(v128.shuffle<f32>(v, v, 1, 0, 3, 2), im))
}

/** `at` holds n rows of `many` pixels in bit-reversed order; `twiddles` cos, sin of −2πk/n (or +) for k < n/2. */
function transform(at: usize, n: i32, many: i32, twiddles: usize, isInverse: i32): void {
  const sign = f32x4(-1, 1, -1, 1)
  const step = (many as usize) << 4
  // −i forwards, i backwards: (x, y) → (y, −x) or (−y, x).
  const quarter = isInverse ? f32x4(-1, 1, -1, 1) : f32x4(1, -1, 1, -1)
  let half = 1
  let stages = 0
  for (let k = n; k > 1; k >>= 1) stages++
  if (stages & 1) {
    for (let i = 0; i < n; i += 2)
      for (let c = 0; c < many; c++) {
        const p = at + (i as usize) * step + ((c as usize) << 4)
        const a = v128.load(p)
        const b = v128.load(p + step)
        v128.store(p, f32x4.add(a, b))
        v128.store(p + step, f32x4.sub(a, b))
      }
    half = 2
  }
  for (; half < n; half <<= 2) {
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
      for (let i = j; i < n; i += half << 2)
        for (let column = 0; column < many; column++) {
          const p = at + (i as usize) * step + ((column as usize) << 4)
          const a = v128.load(p)
          const b = times(v128.load(p + far), aRe, aIm)
          const c = v128.load(p + 2 * far)
          const d = times(v128.load(p + 3 * far), aRe, aIm)
          const a1 = f32x4.add(a, b)
          const b1 = f32x4.sub(a, b)
          const c1 = times(f32x4.add(c, d), bRe, bIm)
          const d0 = times(f32x4.sub(c, d), bRe, bIm)
          const d1 = f32x4.mul(v128.shuffle<f32>(d0, d0, 1, 0, 3, 2), quarter)
          v128.store(p, f32x4.add(a1, c1))
          v128.store(p + far, f32x4.add(b1, d1))
          v128.store(p + 2 * far, f32x4.sub(a1, c1))
          v128.store(p + 3 * far, f32x4.sub(b1, d1))
        }
    }
  }
}

/** For each place of n, the byte offset of the one with its bits reversed, for pixels of `bytes` bytes. */
function reversals(table: usize, n: i32, bytes: i32): void {
  store<i32>(table, 0)
  for (let filled = 1, step = n >> 1; filled < n; filled <<= 1, step >>= 1)
    for (let k = 0; k < filled; k++)
      store<i32>(table + (((filled + k) as usize) << 2), load<i32>(table + ((k as usize) << 2)) + step * bytes)
}

export function fourierRows(
  data: usize, scratch: usize, scratchBytes: i32, twiddles: usize, isInverse: i32, width: i32, y0: i32, y1: i32,
): void {
  const line = scratch + ((thread * scratchBytes) as usize)
  const places = line + ((width as usize) << 4)
  reversals(places, width, 16)
  for (let y = y0; y < y1; y++) {
    const row = data + (((y * width) as usize) << 4)
    let seen = f32x4.splat(0)
    for (let x = 0; x < width; x++) {
      const value = v128.load(row + ((x as usize) << 4))
      seen = v128.or(seen, value)
      v128.store(line + (load<i32>(places + ((x as usize) << 2)) as usize), value)
    }
    // Much of a padded picture is empty.
    if (!v128.any_true(seen)) continue
    transform(line, width, 1, twiddles, isInverse)
    memory.copy(row, line, (width as usize) << 4)
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
  reversals(places, height, many << 4)
  for (let s = y0; s < y1; s++) {
    const column = data + (((s * together) as usize) << 4)
    for (let y = 0; y < height; y++) {
      const from = column + (y as usize) * stride
      const to = strip + (load<i32>(places + ((y as usize) << 2)) as usize)
      for (let c = 0; c < many; c++) v128.store(to + ((c as usize) << 4), v128.load(from + ((c as usize) << 4)))
    }
    transform(strip, height, many, twiddles, isInverse)
    for (let y = 0; y < height; y++) {
      const to = column + (y as usize) * stride
      const from = strip + (((y * many) as usize) << 4)
      for (let c = 0; c < many; c++) v128.store(to + ((c as usize) << 4), v128.load(from + ((c as usize) << 4)))
    }
  }
}

/** Each pixel times near · the red and far · the blue of another picture's pixel. */
export function filterSpectrum(data: usize, spectrum: usize, near: f32, far: f32, width: i32, y0: i32, y1: i32): void {
  const end: usize = (y1 * width) as usize
  const n = f32x4.splat(near)
  const f = f32x4.splat(far)
  for (let i: usize = (y0 * width) as usize; i < end; i++) {
    const at = spectrum + (i << 4)
    const factor = f32x4.add(f32x4.mul(v128.load32_splat(at), n), f32x4.mul(v128.load32_splat(at, 8), f))
    v128.store(data + (i << 4), f32x4.mul(v128.load(data + (i << 4)), factor))
  }
}

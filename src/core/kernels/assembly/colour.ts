// @ts-nocheck: AssemblyScript, checked by its own compiler
export function fill(out: usize, r: f32, g: f32, b: f32, a: f32, width: i32, y0: i32, y1: i32): void {
  const value = f32x4(r, g, b, a)
  const end: usize = (y1 * width) as usize
  for (let i: usize = (y0 * width) as usize; i < end; i++) v128.store(out + (i << 4), value)
}

/** `ends` holds the value at the first end and the way to the second; `kx` and `ky` are how much one pixel goes along a line. */
export function gradient(
  out: usize, ends: usize, round: i32, fromX: f64, fromY: f64, kx: f64, ky: f64, perLength: f64, width: i32, y0: i32, y1: i32,
): void {
  const from = v128.load(ends), way = v128.load(ends, 16)
  for (let y = y0; y < y1; y++) {
    const py = (y as f64) + 0.5 - fromY
    for (let x = 0; x < width; x++) {
      const px = (x as f64) + 0.5 - fromX
      const along = round ? sqrt<f64>(px * px + py * py) * perLength : px * kx + py * ky
      const t = min<f64>(1, max<f64>(0, along)) as f32
      v128.store(out + (((y * width + x) as usize) << 4), f32x4.add(from, f32x4.mul(way, f32x4.splat(t))))
    }
  }
}

export function gains(
  out: usize,
  src: usize,
  r: f32,
  g: f32,
  b: f32,
  a: f32,
  width: i32,
  y0: i32,
  y1: i32,
): void {
  const gain = f32x4(r, g, b, a)
  const end: usize = (y1 * width) as usize
  for (let i: usize = (y0 * width) as usize; i < end; i++)
    v128.store(out + (i << 4), f32x4.mul(v128.load(src + (i << 4)), gain))
}

/** `matrix` points at four columns of four floats: what red, green, blue and alpha give. */
export function colourMatrix(out: usize, src: usize, matrix: usize, width: i32, y0: i32, y1: i32): void {
  const cr = v128.load(matrix)
  const cg = v128.load(matrix, 16)
  const cb = v128.load(matrix, 32)
  const ca = v128.load(matrix, 48)
  const end: usize = (y1 * width) as usize
  for (let i: usize = (y0 * width) as usize; i < end; i++) {
    const p = v128.load(src + (i << 4))
    const red = f32x4.mul(v128.shuffle<f32>(p, p, 0, 0, 0, 0), cr)
    const green = f32x4.mul(v128.shuffle<f32>(p, p, 1, 1, 1, 1), cg)
    const blue = f32x4.mul(v128.shuffle<f32>(p, p, 2, 2, 2, 2), cb)
    const alpha = f32x4.mul(v128.shuffle<f32>(p, p, 3, 3, 3, 3), ca)
    v128.store(out + (i << 4), f32x4.add(f32x4.add(red, green), f32x4.add(blue, alpha)))
  }
}

@inline
function brightLoop(out: usize, src: usize, threshold: f32, knee: f32, ceiling: f32, byMost: bool, weigh: usize, count: usize): void {
  // Without branches: in a noisy picture the next pixel is anyone's guess. All four lanes hold the same brightness.
  const weights = byMost ? f32x4.splat(0) : v128.load(weigh)
  const wr = v128.shuffle<f32>(weights, weights, 0, 0, 0, 0)
  const wg = v128.shuffle<f32>(weights, weights, 1, 1, 1, 1)
  const wb = v128.shuffle<f32>(weights, weights, 2, 2, 2, 2)
  const lower = f32x4.splat(threshold - knee)
  const upper = f32x4.splat(threshold + knee)
  const edge = f32x4.splat(threshold)
  const quarter = f32x4.splat(knee > 0 ? 0.25 / knee : 0)
  const highest = f32x4.splat(ceiling)
  const zero = f32x4.splat(0)
  const colour = i32x4(-1, -1, -1, 0)
  let i: usize = 0
  // Four pixels at a time share one division.
  for (; i + 4 <= count; i += 4) {
    const at = src + (i << 4)
    const p0 = v128.load(at)
    const p1 = v128.load(at, 16)
    const p2 = v128.load(at, 32)
    const p3 = v128.load(at, 48)
    const t0 = v128.shuffle<f32>(p0, p1, 0, 4, 1, 5)
    const t1 = v128.shuffle<f32>(p2, p3, 0, 4, 1, 5)
    const t2 = v128.shuffle<f32>(p0, p1, 2, 6, 2, 6)
    const t3 = v128.shuffle<f32>(p2, p3, 2, 6, 2, 6)
    const r = v128.shuffle<f32>(t0, t1, 0, 1, 4, 5)
    const g = v128.shuffle<f32>(t0, t1, 2, 3, 6, 7)
    const b = v128.shuffle<f32>(t2, t3, 0, 1, 4, 5)
    const y = byMost
      ? f32x4.pmax(r, f32x4.pmax(g, b))
      : f32x4.add(
          f32x4.add(f32x4.mul(r, wr), f32x4.mul(g, wg)),
          f32x4.mul(b, wb),
        )
    const lit = f32x4.pmin(y, highest)
    const d = f32x4.sub(lit, lower)
    const passed = v128.bitselect(f32x4.mul(f32x4.mul(d, d), quarter), f32x4.sub(lit, edge), f32x4.lt(lit, upper))
    const isLit = v128.and(f32x4.gt(y, zero), f32x4.gt(d, zero))
    const factor = v128.and(f32x4.div(f32x4.pmax(passed, zero), y), isLit)
    const to = out + (i << 4)
    v128.store(to, v128.and(f32x4.mul(p0, v128.shuffle<f32>(factor, factor, 0, 0, 0, 0)), colour))
    v128.store(to, v128.and(f32x4.mul(p1, v128.shuffle<f32>(factor, factor, 1, 1, 1, 1)), colour), 16)
    v128.store(to, v128.and(f32x4.mul(p2, v128.shuffle<f32>(factor, factor, 2, 2, 2, 2)), colour), 32)
    v128.store(to, v128.and(f32x4.mul(p3, v128.shuffle<f32>(factor, factor, 3, 3, 3, 3)), colour), 48)
  }
  for (; i < count; i++) {
    const p = v128.load(src + (i << 4))
    let y: v128
    if (byMost) {
      y = f32x4.pmax(v128.shuffle<f32>(p, p, 0, 0, 0, 0), f32x4.pmax(v128.shuffle<f32>(p, p, 1, 1, 1, 1), v128.shuffle<f32>(p, p, 2, 2, 2, 2)))
    } else {
      // Added in the order of the four, so that a pixel's bits do not depend on where in a row it lies.
      const w = f32x4.mul(p, weights)
      const pair = f32x4.add(v128.shuffle<f32>(w, w, 0, 0, 0, 0), v128.shuffle<f32>(w, w, 1, 1, 1, 1))
      y = f32x4.add(pair, v128.shuffle<f32>(w, w, 2, 2, 2, 2))
    }
    const lit = f32x4.pmin(y, highest)
    const d = f32x4.sub(lit, lower)
    const passed = v128.bitselect(f32x4.mul(f32x4.mul(d, d), quarter), f32x4.sub(lit, edge), f32x4.lt(lit, upper))
    const isLit = v128.and(v128.and(f32x4.gt(y, zero), f32x4.gt(d, zero)), colour)
    const factor = f32x4.div(f32x4.pmax(passed, zero), y)
    v128.store(out + (i << 4), v128.and(f32x4.mul(p, factor), isLit))
  }
}

/** The bright part of pixels src[0..count-1] into out[0..count-1]; brightness by the weights of luminance at `weigh`, or by the brightest channel where that is 0. */
export function brightRun(out: usize, src: usize, threshold: f32, knee: f32, ceiling: f32, weigh: usize, count: usize): void {
  // Written out twice, so that neither pays for the other.
  if (weigh) brightLoop(out, src, threshold, knee, ceiling, false, weigh, count)
  else brightLoop(out, src, threshold, knee, ceiling, true, 0, count)
}

export function brightPass(out: usize, src: usize, threshold: f32, knee: f32, ceiling: f32, weigh: usize, width: i32, y0: i32, y1: i32): void {
  const start = ((y0 * width) as usize) << 4
  brightRun(out + start, src + start, threshold, knee, ceiling, weigh, ((y1 - y0) * width) as usize)
}

/** Colour and alpha times base + share · matte. */
export function weigh(out: usize, src: usize, matte: usize, base: f32, share: f32, width: i32, y0: i32, y1: i32): void {
  const b = f32x4.splat(base)
  const s = f32x4.splat(share)
  const end: usize = (y1 * width) as usize
  for (let i: usize = (y0 * width) as usize; i < end; i++) {
    const weight = f32x4.add(b, f32x4.mul(s, v128.load32_splat(matte + (i << 2))))
    v128.store(out + (i << 4), f32x4.mul(v128.load(src + (i << 4)), weight))
  }
}

/** Colour and alpha over the matte; those of `otherwise` where it is next to nothing. */
export function unweigh(out: usize, src: usize, matte: usize, otherwise: usize, width: i32, y0: i32, y1: i32): void {
  const end: usize = (y1 * width) as usize
  for (let i: usize = (y0 * width) as usize; i < end; i++) {
    const weight = load<f32>(matte + (i << 2))
    const isThere = weight >= 1.0 / 1024.0
    const from = isThere ? src : otherwise
    const gain: f32 = isThere ? (1.0 as f32) / weight : 1
    v128.store(out + (i << 4), f32x4.mul(v128.load(from + (i << 4)), f32x4.splat(gain)))
  }
}

/** Replaces NaN and infinities in `floats` floats by 0; gives back how many there were. */
export function sanitise(data: usize, floats: i32): i32 {
  let count = 0
  const end = data + ((floats as usize) << 2)
  for (let p = data; p < end; p += 4) {
    if ((load<u32>(p) & 0x7f800000) == 0x7f800000) {
      store<f32>(p, 0)
      count++
    }
  }
  return count
}

// @ts-nocheck: AssemblyScript, checked by its own compiler
export function fill(out: usize, r: f32, g: f32, b: f32, a: f32, width: i32, y0: i32, y1: i32): void {
  const value = f32x4(r, g, b, a)
  const end: usize = (y1 * width) as usize
  for (let i: usize = (y0 * width) as usize; i < end; i++) v128.store(out + (i << 4), value)
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

/** `matrix` points at three columns of four floats (red, green, blue in) and a fourth with the alpha gain in its last lane. */
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
    const alpha = f32x4.mul(p, ca)
    v128.store(out + (i << 4), f32x4.add(f32x4.add(red, green), f32x4.add(blue, alpha)))
  }
}

export function brightPass(
  out: usize,
  src: usize,
  threshold: f32,
  knee: f32,
  ceiling: f32,
  width: i32,
  y0: i32,
  y1: i32,
): void {
  const lower = threshold - knee
  const quarter: f32 = knee > 0 ? 0.25 / knee : 0
  const zero = f32x4.splat(0)
  const end: usize = (y1 * width) as usize
  for (let i: usize = (y0 * width) as usize; i < end; i++) {
    const p = v128.load(src + (i << 4))
    const y: f32 =
      f32x4.extract_lane(p, 0) * 0.2126 +
      f32x4.extract_lane(p, 1) * 0.7152 +
      f32x4.extract_lane(p, 2) * 0.0722
    if (!(y > 0) || y <= lower) {
      v128.store(out + (i << 4), zero)
      continue
    }
    const held = min<f32>(y, ceiling)
    const d = held - lower
    const passed: f32 = held < threshold + knee ? d * d * quarter : held - threshold
    const factor = max<f32>(passed, 0) / y
    v128.store(out + (i << 4), f32x4.replace_lane(f32x4.mul(p, f32x4.splat(factor)), 3, 0))
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

// @ts-nocheck: AssemblyScript, checked by its own compiler

/** Four half codes as floats; what is not finite becomes 0. */
@inline
function finiteHalves(at: usize): v128 {
  const h = v128.load16x4_u(at)
  const magnitude = i32x4.shl(v128.and(h, i32x4.splat(0x7fff)), 13)
  const scaled = f32x4.mul(magnitude, f32x4.splat(reinterpret<f32>(0x77800000))) // 2^112 moves the exponent bias
  const sign = i32x4.shl(v128.and(h, i32x4.splat(0x8000)), 16)
  return v128.and(v128.or(scaled, sign), i32x4.lt_s(magnitude, i32x4.splat(0x7c00 << 13)))
}

/** Four floats; what is not finite becomes 0. */
@inline
function finiteFloats(at: usize): v128 {
  const v = v128.load(at)
  return v128.and(v, i32x4.lt_u(v128.and(v, i32x4.splat(0x7fffffff)), i32x4.splat(0x7f800000)))
}

@inline
function storeSome(at: usize, v: v128, channels: i32): void {
  if (channels == 4) v128.store(at, v)
  else if (channels == 3) {
    v128.store64_lane(at, v, 0)
    v128.store32_lane(at, v, 2, 8)
  } else if (channels == 2) v128.store64_lane(at, v, 0)
  else v128.store32_lane(at, v, 0)
}

/** Adds a row of pixels to the sums of its cells, pixel by pixel: `first` pixels go to the first cell, 2 to the power of `shift` to each that follows. */
@inline
function sumRow(out: usize, src: usize, width: i32, channels: i32, first: i32, shift: i32, bytes: usize): void {
  const pixel = (channels as usize) * bytes
  let at = src, o = out
  let x = 0
  let next = min<i32>(width, first)
  while (x < width) {
    let sum = v128.load(o)
    for (; x < next; x++) {
      sum = f32x4.add(sum, bytes == 2 ? finiteHalves(at) : finiteFloats(at))
      at += pixel
    }
    storeSome(o, sum, channels)
    o += (channels as usize) << 2
    next = min<i32>(width, x + (1 << shift))
  }
}

/** See reducePass of ../../formats/reduce-pass.ts: rows of up to four channels. The rows and the sums end 16 bytes before what may not be read. */
export function sumHalves(out: usize, src: usize, width: i32, channels: i32, first: i32, shift: i32): void {
  sumRow(out, src, width, channels, first, shift, 2)
}
export function sumFloats(out: usize, src: usize, width: i32, channels: i32, first: i32, shift: i32): void {
  sumRow(out, src, width, channels, first, shift, 4)
}

/** Each value times a share in double precision, rounded once. */
export function shareOut(values: usize, shares: usize, count: i32): void {
  let i = 0
  for (; i + 2 <= count; i += 2) {
    const at = values + ((i as usize) << 2)
    const product = f64x2.mul(f64x2.promote_low_f32x4(v128.load64_zero(at)), v128.load(shares + ((i as usize) << 3)))
    v128.store64_lane(at, f32x4.demote_f64x2_zero(product), 0)
  }
  if (i < count) {
    const at = values + ((i as usize) << 2)
    store<f32>(at, ((load<f32>(at) as f64) * load<f64>(shares + ((i as usize) << 3))) as f32)
  }
}

/** Planes of one or several channels, `stride` bytes apart, to pixels: values of 2 or 4 bytes. */
export function interleave(out: usize, src: usize, stride: usize, count: i32, channels: i32, bytes: i32): void {
  for (let c = 0; c < channels; c++) {
    const from = src + (c as usize) * stride
    if (bytes == 2)
      for (let i = 0, o = out + ((c as usize) << 1); i < count; i++, o += (channels as usize) << 1) store<u16>(o, load<u16>(from + ((i as usize) << 1)))
    else for (let i = 0, o = out + ((c as usize) << 2); i < count; i++, o += (channels as usize) << 2) store<u32>(o, load<u32>(from + ((i as usize) << 2)))
  }
}

/** Pixels of a row by where they begin in it, in values of 2 or 4 bytes. */
export function pick(out: usize, src: usize, places: usize, count: i32, channels: i32, bytes: i32): void {
  let o = out
  for (let i = 0; i < count; i++) {
    const from = load<i32>(places + ((i as usize) << 2)) as usize
    if (bytes == 2)
      for (let c = 0; c < channels; c++, o += 2) store<u16>(o, load<u16>(src + ((from + (c as usize)) << 1)))
    else for (let c = 0; c < channels; c++, o += 4) store<u32>(o, load<u32>(src + ((from + (c as usize)) << 2)))
  }
}

/** Whether any of some half codes or floats, by their bytes, is infinite or no number. What lies 16 bytes behind them has to be finite. */
export function anyNonFinite(src: usize, bytes: i32, size: i32): i32 {
  const end = src + (bytes as usize)
  const limit = size == 2 ? i16x8.splat(0x7c00) : i32x4.splat(0x7f800000)
  let found = i32x4.splat(0)
  for (let at = src; at < end; at += 16) {
    const exponent = v128.and(v128.load(at), limit)
    found = v128.or(found, size == 2 ? i16x8.eq(exponent, limit) : i32x4.eq(exponent, limit))
  }
  return v128.any_true(found) as i32
}

// @ts-nocheck: AssemblyScript, checked by its own compiler
@inline
function widen(h: v128): v128 {
  const magnitude = i32x4.shl(v128.and(h, i32x4.splat(0x7fff)), 13)
  const scaled = f32x4.mul(magnitude, f32x4.splat(reinterpret<f32>(0x77800000))) // 2^112 moves the exponent bias
  const special = v128.and(i32x4.ge_s(magnitude, i32x4.splat(0x7c00 << 13)), i32x4.splat(0x7f800000))
  const sign = i32x4.shl(v128.and(h, i32x4.splat(0x8000)), 16)
  return v128.or(v128.or(scaled, special), sign)
}

export function halfToFloat(out: usize, src: usize, n0: i32, n1: i32): void {
  let i: usize = n0 as usize
  const end: usize = n1 as usize
  for (; i + 8 <= end; i += 8) {
    const h = v128.load(src + (i << 1))
    v128.store(out + (i << 2), widen(i32x4.extend_low_i16x8_u(h)))
    v128.store(out + (i << 2), widen(i32x4.extend_high_i16x8_u(h)), 16)
  }
  for (; i < end; i++)
    store<u32>(out + (i << 2), i32x4.extract_lane(widen(i32x4.splat(load<u16>(src + (i << 1)) as i32)), 0))
}

@inline
function narrow(f: v128): v128 {
  const sign = v128.and(f, i32x4.splat(0x80000000))
  const u = v128.xor(f, sign)
  // Below the smallest normal half: a float addition rounds at the right bit, to nearest even.
  const magic = i32x4.splat(126 << 23)
  const small = i32x4.sub(f32x4.add(u, magic), magic)
  const odd = v128.and(i32x4.shr_u(u, 13), i32x4.splat(1))
  const normal = i32x4.shr_u(i32x4.add(i32x4.add(u, i32x4.splat(((15 - 127) << 23) + 0xfff)), odd), 13)
  const nan = i32x4.gt_s(u, i32x4.splat(0x7f800000))
  const huge = v128.bitselect(i32x4.splat(0x7e00), i32x4.splat(0x7c00), nan)
  const finite = v128.bitselect(small, normal, i32x4.lt_s(u, i32x4.splat(113 << 23)))
  const half = v128.bitselect(huge, finite, i32x4.ge_s(u, i32x4.splat(143 << 23)))
  return v128.or(half, i32x4.shr_u(sign, 16))
}

export function floatToHalf(out: usize, src: usize, n0: i32, n1: i32): void {
  let i: usize = n0 as usize
  const end: usize = n1 as usize
  for (; i + 8 <= end; i += 8) {
    const low = narrow(v128.load(src + (i << 2)))
    const high = narrow(v128.load(src + (i << 2), 16))
    v128.store(out + (i << 1), v128.shuffle<u16>(low, high, 0, 2, 4, 6, 8, 10, 12, 14))
  }
  for (; i < end; i++)
    store<u16>(out + (i << 1), i32x4.extract_lane(narrow(v128.load32_splat(src + (i << 2))), 0) as u16)
}

// @ts-nocheck: AssemblyScript, checked by its own compiler
import { mixedBits } from './maths'

@inline
function codes(linear: v128, table: usize, first: i32): u32 {
  const lowest = reinterpret<f32>(first) // below it the code is 0
  const highest = reinterpret<f32>(0x3f7fffff)
  const clipped = f32x4.pmin(f32x4.splat(highest), f32x4.pmax(f32x4.splat(lowest), linear))
  const index = i32x4.shr_u(i32x4.sub(clipped, i32x4.splat(first)), 14)
  const r = load<u8>(table + (i32x4.extract_lane(index, 0) as usize)) as u32
  const g = load<u8>(table + (i32x4.extract_lane(index, 1) as usize)) as u32
  const b = load<u8>(table + (i32x4.extract_lane(index, 2) as usize)) as u32
  return 0xff000000 | (b << 16) | (g << 8) | r
}

/** A code in 128ths, between the entries of the fine table. */
@inline
function fineCode(fine: usize, bits: i32): i32 {
  const entry = fine + (((bits >> 14) as usize) << 1)
  const low = load<u16>(entry) as i32, high = load<u16>(entry, 2) as i32
  return low + (((high - low) * (bits & 0x3fff) + 0x2000) >> 14)
}

/** Codes rounded up and down by noise of a row and a column, see picture/dither.ts. */
function ditheredCodes(linear: v128, fine: usize, first: i32, slope: f32, row: v128, x: i32): u32 {
  const lowest = reinterpret<f32>(first), highest = reinterpret<f32>(0x3f7fffff)
  const h = mixedBits(v128.xor(row, i32x4.splat(x * 0x85ebca77)))
  const byte = i32x4.splat(255)
  const a = v128.and(h, byte), b = v128.and(i32x4.shr_u(h, 8), byte)
  const clipped = f32x4.pmin(f32x4.splat(highest), f32x4.pmax(f32x4.splat(lowest), linear))
  const bits = i32x4.sub(clipped, i32x4.splat(first))
  const tabled = i32x4(fineCode(fine, i32x4.extract_lane(bits, 0)), fineCode(fine, i32x4.extract_lane(bits, 1)), fineCode(fine, i32x4.extract_lane(bits, 2)), 0)
  // Below the table it is taken as straight.
  const dark = i32x4.trunc_sat_f32x4_s(f32x4.mul(f32x4.pmax(f32x4.splat(0), linear), f32x4.splat(slope)))
  const code = v128.bitselect(dark, tabled, f32x4.lt(linear, f32x4.splat(lowest)))
  const isEnd = v128.or(i32x4.lt_s(code, i32x4.splat(128)), i32x4.gt_s(code, i32x4.splat(254 * 128)))
  const even = i32x4.sub(i32x4.shr_s(a, 1), i32x4.splat(64)), triangle = i32x4.sub(i32x4.shr_s(i32x4.add(i32x4.add(a, b), i32x4.splat(1)), 1), i32x4.splat(128))
  const noisy = i32x4.shr_s(i32x4.add(i32x4.add(code, i32x4.splat(64)), v128.bitselect(even, triangle, isEnd)), 7)
  const held = i32x4.min_s(byte, i32x4.max_s(i32x4.splat(0), noisy))
  return 0xff000000 | ((i32x4.extract_lane(held, 2) as u32) << 16) | ((i32x4.extract_lane(held, 1) as u32) << 8) | (i32x4.extract_lane(held, 0) as u32)
}

/** channel: 0 colour, 1–3 red, green, blue, 4 alpha, 5 luminance. checker: side in pixels, 0 = black backing. first: bits of the float that the tables begin with; slope: 128ths of codes below it; weigh: the weights of luminance. left, top: which pixel of the whole is the first. */
export function display(out: usize, src: usize, table: usize, gain: f32, channel: i32, checker: i32, fine: usize, seed: i32, first: i32, slope: f32, weigh: usize, left: i32, top: i32, width: i32, y0: i32, y1: i32): void {
  const g = f32x4.replace_lane(f32x4.splat(gain), 3, 1)
  const wr = load<f32>(weigh), wg = load<f32>(weigh, 4), wb = load<f32>(weigh, 8)
  const lanes = i32x4(0x1b873593, 0x36e7, 0x51ed270b, 0x27d4eb2f)
  for (let y = y0; y < y1; y++) {
    const row = mixedBits(i32x4.add(i32x4.splat((y + top) * 0x9e3779b1 + seed), lanes))
    for (let x = 0; x < width; x++) {
      const i = (y * width + x) as usize
      let p = f32x4.mul(v128.load(src + (i << 4)), g)
      const alpha = f32x4.extract_lane(p, 3)
      if (channel == 4) {
        const a = (min<f32>(1, max<f32>(0, alpha)) * 255 + 0.5) as u32
        store<u32>(out + (i << 2), 0xff000000 | (a << 16) | (a << 8) | a)
        continue
      }
      if (channel == 0) {
        if (checker > 0) {
          const shade: f32 = ((((x + left) / checker) ^ ((y + top) / checker)) & 1) ? 0.09 : 0.045
          p = f32x4.add(p, f32x4.splat(shade * max<f32>(0, 1 - alpha)))
        }
      } else if (channel == 5) {
        p = f32x4.splat(
          f32x4.extract_lane(p, 0) * wr + f32x4.extract_lane(p, 1) * wg + f32x4.extract_lane(p, 2) * wb,
        )
      } else p = v128.load32_splat(src + (i << 4) + (((channel - 1) as usize) << 2)), p = f32x4.mul(p, f32x4.splat(gain))
      store<u32>(out + (i << 2), fine ? ditheredCodes(p, fine, first, slope, row, x + left) : codes(p, table, first))
    }
  }
}

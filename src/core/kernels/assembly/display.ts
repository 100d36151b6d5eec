// @ts-nocheck: AssemblyScript, checked by its own compiler
@inline
function codes(linear: v128, table: usize): u32 {
  const lowest = reinterpret<f32>(0x39000000) // 2^-13, below which the code is 0
  const highest = reinterpret<f32>(0x3f7fffff)
  const clipped = f32x4.pmin(f32x4.splat(highest), f32x4.pmax(f32x4.splat(lowest), linear))
  const index = i32x4.shr_u(i32x4.sub(clipped, i32x4.splat(0x39000000)), 14)
  const r = load<u8>(table + (i32x4.extract_lane(index, 0) as usize)) as u32
  const g = load<u8>(table + (i32x4.extract_lane(index, 1) as usize)) as u32
  const b = load<u8>(table + (i32x4.extract_lane(index, 2) as usize)) as u32
  return 0xff000000 | (b << 16) | (g << 8) | r
}

/** channel: 0 colour, 1–3 red, green, blue, 4 alpha, 5 luminance. checker: side in pixels, 0 = black backing. */
export function display(out: usize, src: usize, table: usize, gain: f32, channel: i32, checker: i32, width: i32, y0: i32, y1: i32): void {
  const g = f32x4.replace_lane(f32x4.splat(gain), 3, 1)
  for (let y = y0; y < y1; y++) {
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
          const shade: f32 = (((x / checker) ^ (y / checker)) & 1) ? 0.09 : 0.045
          p = f32x4.add(p, f32x4.splat(shade * max<f32>(0, 1 - alpha)))
        }
      } else if (channel == 5) {
        p = f32x4.splat(
          f32x4.extract_lane(p, 0) * 0.2126 + f32x4.extract_lane(p, 1) * 0.7152 + f32x4.extract_lane(p, 2) * 0.0722,
        )
      } else p = v128.load32_splat(src + (i << 4) + (((channel - 1) as usize) << 2)), p = f32x4.mul(p, f32x4.splat(gain))
      store<u32>(out + (i << 2), codes(p, table))
    }
  }
}

// @ts-nocheck: AssemblyScript, checked by its own compiler

/** Where a float lies in the tables, by its upper bits; a sign makes them negative. */
@inline
function placeOf(bits: i32, shift: i32, last: i32): usize {
  return bits < 0 ? 0 : (min<i32>(bits >> shift, last) as usize) << 2
}

@inline
function count(at: usize): void {
  store<u32>(at, load<u32>(at) + 1)
}

/**
 * Counts pixels of a part of a picture: kind 0 histogram, 1 waveform, 2 parade, 3 vectorscope. `level` and `encoded` are tables of `last` + 1 words
 * by the upper bits of floats. Gives back how many pixels had cover or light.
 */
export function countScope(
  counts: usize, src: usize, level: usize, encoded: usize, kind: i32, shift: i32, last: i32, width: i32, left: i32, top: i32, right: i32, bottom: i32, columns: i32, levels: i32, side: i32, reach: f32,
): i32 {
  let pixels = 0
  const perPixel = (columns as f32) / (max<i32>(1, right - left) as f32)
  const plane = (columns * levels) << 2
  const scale: f32 = (side as f32) / (2 * reach)
  for (let y = top; y < bottom; y++)
    for (let x = left; x < right; x++) {
      const p = src + (((y * width + x) as usize) << 4)
      if (!v128.any_true(f32x4.ne(v128.load(p), f32x4.splat(0)))) continue
      pixels++
      const r = placeOf(load<i32>(p), shift, last)
      const g = placeOf(load<i32>(p, 4), shift, last)
      const b = placeOf(load<i32>(p, 8), shift, last)
      if (kind == 3) {
        const er = load<f32>(encoded + r), eg = load<f32>(encoded + g), eb = load<f32>(encoded + b)
        const luma: f32 = (0.2126 as f32) * er + (0.7152 as f32) * eg + (0.0722 as f32) * eb
        const cx = floor<f32>(((eb - luma) / (1.8556 as f32) + reach) * scale) as i32
        const cy = floor<f32>((reach - (er - luma) / (1.5748 as f32)) * scale) as i32
        if (cx >= 0 && cy >= 0 && cx < side && cy < side) count(counts + (((cy * side + cx) as usize) << 2))
        continue
      }
      const luminance: f32 = (0.2126 as f32) * load<f32>(p) + (0.7152 as f32) * load<f32>(p, 4) + (0.0722 as f32) * load<f32>(p, 8)
      if (kind == 0) {
        count(counts + ((load<i32>(level + r) as usize) << 2))
        count(counts + (((levels + load<i32>(level + g)) as usize) << 2))
        count(counts + (((2 * levels + load<i32>(level + b)) as usize) << 2))
        count(counts + (((3 * levels + load<i32>(level + placeOf(reinterpret<i32>(luminance), shift, last))) as usize) << 2))
        continue
      }
      const column = min<i32>(columns - 1, ((x - left) as f32) * perPixel as i32)
      const foot = (levels - 1) * columns + column
      if (kind == 1) {
        const at = foot - load<i32>(level + placeOf(reinterpret<i32>(luminance), shift, last)) * columns
        count(counts + ((at as usize) << 2))
        continue
      }
      count(counts + (((foot - load<i32>(level + r) * columns) as usize) << 2))
      count(counts + (((foot - load<i32>(level + g) * columns) as usize) << 2) + plane)
      count(counts + (((foot - load<i32>(level + b) * columns) as usize) << 2) + 2 * plane)
    }
  return pixels
}

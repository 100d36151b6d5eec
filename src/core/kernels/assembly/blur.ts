// @ts-nocheck: AssemblyScript, checked by its own compiler
@inline
function held(i: i32, n: i32): i32 {
  return i < 0 ? 0 : i >= n ? n - 1 : i
}

@inline
function row4(row: usize, a: usize, b: usize, c: usize, d: usize, three: v128): v128 {
  const outer = f32x4.add(v128.load(row + a), v128.load(row + d))
  const inner = f32x4.add(v128.load(row + b), v128.load(row + c))
  return f32x4.add(outer, f32x4.mul(inner, three))
}

@inline
function row4Black(row: usize, x: i32, sw: i32, three: v128): v128 {
  let sum = f32x4.splat(0)
  if (x >= 1 && x <= sw) sum = f32x4.add(sum, v128.load(row + (((x - 1) as usize) << 4)))
  if (x >= 0 && x < sw) sum = f32x4.add(sum, f32x4.mul(v128.load(row + ((x as usize) << 4)), three))
  if (x >= -1 && x + 1 < sw) sum = f32x4.add(sum, f32x4.mul(v128.load(row + (((x + 1) as usize) << 4)), three))
  if (x >= -2 && x + 2 < sw) sum = f32x4.add(sum, v128.load(row + (((x + 2) as usize) << 4)))
  return sum
}

export function halve(out: usize, src: usize, ow: i32, sw: i32, sh: i32, offset: i32, black: i32, y0: i32, y1: i32): void {
  const three = f32x4.splat(3)
  const norm = f32x4.splat(1.0 / 64.0)
  const stride = (sw as usize) << 4
  for (let y = y0; y < y1; y++) {
    const sy = 2 * y + offset
    for (let x = 0; x < ow; x++) {
      const sx = 2 * x + offset
      let sum: v128
      if (sx >= 1 && sx + 2 < sw && sy >= 1 && sy + 2 < sh) {
        const at = src + ((sy - 1) as usize) * stride + (((sx - 1) as usize) << 4)
        const outer = f32x4.add(row4(at, 0, 16, 32, 48, three), row4(at + 3 * stride, 0, 16, 32, 48, three))
        const inner = f32x4.add(row4(at + stride, 0, 16, 32, 48, three), row4(at + 2 * stride, 0, 16, 32, 48, three))
        sum = f32x4.add(outer, f32x4.mul(inner, three))
      } else if (black) {
        let outer = f32x4.splat(0)
        let inner = f32x4.splat(0)
        if (sy >= 1 && sy <= sh) outer = row4Black(src + ((sy - 1) as usize) * stride, sx, sw, three)
        if (sy >= -2 && sy + 2 < sh) outer = f32x4.add(outer, row4Black(src + ((sy + 2) as usize) * stride, sx, sw, three))
        if (sy >= 0 && sy < sh) inner = row4Black(src + (sy as usize) * stride, sx, sw, three)
        if (sy >= -1 && sy + 1 < sh) inner = f32x4.add(inner, row4Black(src + ((sy + 1) as usize) * stride, sx, sw, three))
        sum = f32x4.add(outer, f32x4.mul(inner, three))
      } else {
        const a = (held(sx - 1, sw) as usize) << 4
        const b = (held(sx, sw) as usize) << 4
        const c = (held(sx + 1, sw) as usize) << 4
        const d = (held(sx + 2, sw) as usize) << 4
        const outer = f32x4.add(
          row4(src + (held(sy - 1, sh) as usize) * stride, a, b, c, d, three),
          row4(src + (held(sy + 2, sh) as usize) * stride, a, b, c, d, three),
        )
        const inner = f32x4.add(
          row4(src + (held(sy, sh) as usize) * stride, a, b, c, d, three),
          row4(src + (held(sy + 1, sh) as usize) * stride, a, b, c, d, three),
        )
        sum = f32x4.add(outer, f32x4.mul(inner, three))
      }
      v128.store(out + (((y * ow + x) as usize) << 4), f32x4.mul(sum, norm))
    }
  }
}

export function upAdd(
  out: usize, fine: usize, coarse: usize, ow: i32, cw: i32, ch: i32, offset: i32, fineWeight: f32, coarseWeight: f32,
  y0: i32, y1: i32,
): void {
  const near = f32x4.splat(0.75)
  const far = f32x4.splat(0.25)
  const wf = f32x4.splat(fineWeight)
  const wc = f32x4.splat(coarseWeight)
  for (let y = y0; y < y1; y++) {
    const fy = y - offset
    const cy = fy >> 1
    const cy2 = cy + ((fy & 1) << 1) - 1
    const rowA = coarse + (((held(cy, ch) * cw) as usize) << 4)
    const rowB = coarse + (((held(cy2, ch) * cw) as usize) << 4)
    for (let x = 0; x < ow; x++) {
      const fx = x - offset
      const cx = fx >> 1
      const a = (held(cx, cw) as usize) << 4
      const b = (held(cx + ((fx & 1) << 1) - 1, cw) as usize) << 4
      const top = f32x4.add(f32x4.mul(v128.load(rowA + a), near), f32x4.mul(v128.load(rowA + b), far))
      const low = f32x4.add(f32x4.mul(v128.load(rowB + a), near), f32x4.mul(v128.load(rowB + b), far))
      let sum = f32x4.mul(f32x4.add(f32x4.mul(top, near), f32x4.mul(low, far)), wc)
      const at = ((y * ow + x) as usize) << 4
      if (fine) sum = f32x4.add(sum, f32x4.mul(v128.load(fine + at), wf))
      v128.store(out + at, sum)
    }
  }
}

export function gaussRows(out: usize, src: usize, weights: usize, radius: i32, width: i32, y0: i32, y1: i32): void {
  const centre = v128.load32_splat(weights)
  for (let y = y0; y < y1; y++) {
    const row = src + (((y * width) as usize) << 4)
    const target = out + (((y * width) as usize) << 4)
    for (let x = 0; x < width; x++) {
      const at = row + ((x as usize) << 4)
      let sum = f32x4.mul(v128.load(at), centre)
      if (x >= radius && x + radius < width) {
        for (let k = 1; k <= radius; k++) {
          const reach = (k as usize) << 4
          const pair = f32x4.add(v128.load(at - reach), v128.load(at + reach))
          sum = f32x4.add(sum, f32x4.mul(pair, v128.load32_splat(weights + ((k as usize) << 2))))
        }
      } else {
        for (let k = 1; k <= radius; k++) {
          const pair = f32x4.add(
            v128.load(row + ((held(x - k, width) as usize) << 4)),
            v128.load(row + ((held(x + k, width) as usize) << 4)),
          )
          sum = f32x4.add(sum, f32x4.mul(pair, v128.load32_splat(weights + ((k as usize) << 2))))
        }
      }
      v128.store(target + ((x as usize) << 4), sum)
    }
  }
}

export function gaussColumns(
  out: usize, src: usize, weights: usize, radius: i32, width: i32, height: i32, y0: i32, y1: i32,
): void {
  // Strips of 16 pixels keep the rows a column reads in the first cache level.
  for (let x0 = 0; x0 < width; x0 += 16) {
    const x1 = min<i32>(x0 + 16, width)
    for (let y = y0; y < y1; y++) {
      for (let x = x0; x < x1; x++) {
        let sum = f32x4.mul(v128.load(src + (((y * width + x) as usize) << 4)), v128.load32_splat(weights))
        for (let k = 1; k <= radius; k++) {
          const pair = f32x4.add(
            v128.load(src + (((held(y - k, height) * width + x) as usize) << 4)),
            v128.load(src + (((held(y + k, height) * width + x) as usize) << 4)),
          )
          sum = f32x4.add(sum, f32x4.mul(pair, v128.load32_splat(weights + ((k as usize) << 2))))
        }
        v128.store(out + (((y * width + x) as usize) << 4), sum)
      }
    }
  }
}

export function boxReduce(out: usize, src: usize, factor: i32, ow: i32, sw: i32, sh: i32, y0: i32, y1: i32): void {
  for (let y = y0; y < y1; y++) {
    const top = y * factor
    const bottom = min<i32>(top + factor, sh)
    for (let x = 0; x < ow; x++) {
      const left = x * factor
      const right = min<i32>(left + factor, sw)
      let sum = f32x4.splat(0)
      for (let sy = top; sy < bottom; sy++)
        for (let sx = left; sx < right; sx++) sum = f32x4.add(sum, v128.load(src + (((sy * sw + sx) as usize) << 4)))
      const share: f32 = 1 / (((bottom - top) * (right - left)) as f32)
      v128.store(out + (((y * ow + x) as usize) << 4), f32x4.mul(sum, f32x4.splat(share)))
    }
  }
}

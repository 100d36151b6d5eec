// @ts-nocheck: AssemblyScript, checked by its own compiler
import { drawLine, isLit, lineMargin, mixed, reachOf, tileShift } from './taps'
import { thread } from './thread'

// Light drawn out along lines that are straight across the picture.

/**
 * Lines that are made together: beside each other all lie equally far between the pixels above and below. As a line runs on it comes to another
 * row, and page of memory, with nearly every pixel, which costs more than the pixel: many lines share it.
 */
const together = 32

/** Whether any value of a tile of 64 × 64 pixels is not 0: rows y0 … y1 of tiles. */
export function litTiles(out: usize, src: usize, tiles: i32, width: i32, height: i32, y0: i32, y1: i32): void {
  for (let ty = y0; ty < y1; ty++)
    for (let tx = 0; tx < tiles; tx++) {
      const bottom = min<i32>(height, (ty + 1) << tileShift), left = tx << tileShift
      const right = min<i32>(width, left + (1 << tileShift))
      let seen = f32x4.splat(0)
      for (let y = ty << tileShift; y < bottom; y++) {
        const end = src + (((y * width + right) as usize) << 4)
        for (let at = src + (((y * width + left) as usize) << 4); at < end; at += 16) seen = v128.or(seen, v128.load(at))
        if (v128.any_true(seen)) break
      }
      store<f32>(out + (((ty * tiles + tx) as usize) << 2), v128.any_true(seen) ? 1 : 0)
    }
}

/** Pixels of a column, from `top`, as lines that lie `part` below them; black beyond the picture. */
@inline
function gather(line: usize, lineStride: usize, lines: i32, column: usize, down: usize, top: i32, height: i32, part: v128): void {
  if (top >= 0 && top + lines < height) {
    let at = column + (top as usize) * down
    let above = v128.load(at)
    for (let k = 0; k < lines; k++) {
      at += down
      const below = v128.load(at)
      v128.store(line, mixed(above, below, part))
      above = below
      line += lineStride
    }
    return
  }
  const zero = f32x4.splat(0)
  let above = top >= 0 && top < height ? v128.load(column + (top as usize) * down) : zero
  for (let k = 1; k <= lines; k++) {
    const y = top + k
    const below = y >= 0 && y < height ? v128.load(column + (y as usize) * down) : zero
    v128.store(line, mixed(above, below, part))
    above = below
    line += lineStride
  }
}

/**
 * See StreakKernels.streakLines. One x lies `across` bytes after the other in the picture, one y `down` bytes; both are the other way round where
 * lines are steep, `width` and `height` with them.
 */
export function streakLines(
  out: usize, src: usize, tiles: usize, scratch: usize, scratchBytes: i32, tables: usize, smoothCount: i32, sharpCount: i32, step: i32,
  across: i32, down: i32, slope: f64, first: f64, nodes: i32, width: i32, height: i32, y0: i32, y1: i32,
): void {
  const margin = (lineMargin as usize) << 4
  const lines = scratch + ((thread * scratchBytes) as usize) + margin
  const stride = (width as usize) << 4
  // Not a power of two, so that lines do not push each other out of the cache.
  const lineStride = stride + 528
  const work = lines + (together as usize) * lineStride
  const isSteep = across > down
  const tilesAcross = ((isSteep ? height : width) + (1 << tileShift) - 1) >> tileShift
  const tilesDown = ((isSteep ? width : height) + (1 << tileShift) - 1) >> tileShift
  const ahead = reachOf(tables, smoothCount, sharpCount, step, 1), behind = reachOf(tables, smoothCount, sharpCount, step, -1)
  for (let group = y0; group < y1; group += together) {
    const many = min<i32>(together, y1 - group)
    const c = first + (group as f64)
    // Where any of these lines, or its neighbour, runs through the picture.
    let from = 0, to = width
    if (slope != 0) {
      const a = (-3 - c - (together as f64)) / slope, b = ((height as f64) + 2 - c) / slope
      from = max<f64>(0, min<f64>(width as f64, Math.floor(min<f64>(a, b)))) as i32
      to = max<f64>(from as f64, min<f64>(width as f64, Math.ceil(max<f64>(a, b)) + 1)) as i32
    }
    let firstLit = to, lastLit = from
    for (let x0 = from; x0 < to; x0 += 1 << tileShift) {
      const x1 = min<i32>(to, x0 + (1 << tileShift))
      const u0 = x0 as f64, u1 = (x1 - 1) as f64
      const v0 = c + slope * u0, v1 = c + slope * u1
      const least = min<f64>(v0, v1), most = max<f64>(v0, v1) + ((together - 1) as f64)
      if (!(isSteep ? isLit(tiles, tilesAcross, tilesDown, least, u0, most, u1) : isLit(tiles, tilesAcross, tilesDown, u0, least, u1, most))) {
        for (let k = 0; k < many; k++) memory.fill(lines + (k as usize) * lineStride + ((x0 as usize) << 4), 0, ((x1 - x0) as usize) << 4)
        continue
      }
      firstLit = min<i32>(firstLit, x0)
      lastLit = x1
      for (let x = x0; x < x1; x++) {
        const y = first + (x as f64) * slope
        const whole = Math.floor(y)
        gather(lines + ((x as usize) << 4), lineStride, many, src + ((x * across) as usize), down as usize, (whole as i32) + group, height, f32x4.splat((y - whole) as f32))
      }
    }
    for (let k = 0; k < many; k++) {
      const line = lines + (k as usize) * lineStride
      memory.fill(line + ((from as usize) << 4) - margin, 0, margin)
      memory.fill(line + ((to as usize) << 4), 0, margin)
      const target = out + ((group + k) as usize) * stride
      let begin = firstLit, end = lastLit
      while (begin < end && !v128.any_true(v128.load(line + ((begin as usize) << 4)))) begin++
      while (begin < end && !v128.any_true(v128.load(line + (((end - 1) as usize) << 4)))) end--
      if (begin < end) {
        // Beyond the reach of its lights a line is dark.
        begin = max<i32>(from, begin - behind)
        end = min<i32>(to, end + ahead)
        const place = (begin as usize) << 4
        drawLine(target + place, line + place, end - begin, step, (nodes - begin) & (step - 1), work, tables, smoothCount, sharpCount)
      } else begin = end = to
      memory.fill(target + ((from as usize) << 4), 0, ((begin - from) as usize) << 4)
      memory.fill(target + ((end as usize) << 4), 0, ((to - end) as usize) << 4)
    }
  }
}

/** See StreakKernels.streakBack. Bytes as in streakLines; y from y0 to y1. */
export function streakBack(
  out: usize, lines: usize, across: i32, down: i32, slope: f64, first: f64, isAdded: i32, width: i32, y0: i32, y1: i32,
): void {
  const stride = (width as usize) << 4
  for (let group = y0; group < y1; group += together) {
    const rows = min<i32>(together, y1 - group)
    for (let x = 0; x < width; x++) {
      const at = -first - (x as f64) * slope
      const floored = Math.floor(at)
      const part = f32x4.splat((at - floored) as f32)
      let p = lines + ((x as usize) << 4) + (((floored as i32) + group) as usize) * stride
      let target = out + ((group * down + x * across) as usize)
      let above = v128.load(p)
      for (let k = 0; k < rows; k++) {
        p += stride
        const below = v128.load(p)
        const value = mixed(above, below, part)
        v128.store(target, isAdded ? f32x4.add(v128.load(target), value) : value)
        above = below
        target += down
      }
    }
  }
}

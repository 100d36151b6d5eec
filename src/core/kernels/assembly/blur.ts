// @ts-nocheck: AssemblyScript, checked by its own compiler
import { brightRun } from './colour'
import { thread } from './thread'

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

/** Column sum (1 3 3 1) of four rows. */
@inline
function column(at: usize, stride: usize, three: v128): v128 {
  const outer = f32x4.add(v128.load(at), v128.load(at + 3 * stride))
  const inner = f32x4.add(v128.load(at + stride), v128.load(at + 2 * stride))
  return f32x4.add(outer, f32x4.mul(inner, three))
}

function halveAt(src: usize, sx: i32, sy: i32, sw: i32, sh: i32, black: i32): v128 {
  const three = f32x4.splat(3)
  const stride = (sw as usize) << 4
  let outer: v128
  let inner: v128
  if (black) {
    outer = f32x4.splat(0)
    inner = f32x4.splat(0)
    if (sy >= 1 && sy <= sh) outer = row4Black(src + ((sy - 1) as usize) * stride, sx, sw, three)
    if (sy >= -2 && sy + 2 < sh) outer = f32x4.add(outer, row4Black(src + ((sy + 2) as usize) * stride, sx, sw, three))
    if (sy >= 0 && sy < sh) inner = row4Black(src + (sy as usize) * stride, sx, sw, three)
    if (sy >= -1 && sy + 1 < sh) inner = f32x4.add(inner, row4Black(src + ((sy + 1) as usize) * stride, sx, sw, three))
  } else {
    const a = (held(sx - 1, sw) as usize) << 4
    const b = (held(sx, sw) as usize) << 4
    const c = (held(sx + 1, sw) as usize) << 4
    const d = (held(sx + 2, sw) as usize) << 4
    outer = f32x4.add(
      row4(src + (held(sy - 1, sh) as usize) * stride, a, b, c, d, three),
      row4(src + (held(sy + 2, sh) as usize) * stride, a, b, c, d, three),
    )
    inner = f32x4.add(
      row4(src + (held(sy, sh) as usize) * stride, a, b, c, d, three),
      row4(src + (held(sy + 1, sh) as usize) * stride, a, b, c, d, three),
    )
  }
  return f32x4.mul(f32x4.add(outer, f32x4.mul(inner, three)), f32x4.splat(1.0 / 64.0))
}

export function halve(out: usize, src: usize, ow: i32, sw: i32, sh: i32, offset: i32, black: i32, y0: i32, y1: i32): void {
  const three = f32x4.splat(3)
  const norm = f32x4.splat(1.0 / 64.0)
  const stride = (sw as usize) << 4
  // Outputs x0..x1-1 read only inside the rows: 2x + offset − 1 ≥ 0 and 2x + offset + 2 < sw.
  const x0 = min<i32>(ow, max<i32>(0, (2 - offset) >> 1))
  const x1 = max<i32>(x0, min<i32>(ow, (sw - 1 - offset) >> 1))
  for (let y = y0; y < y1; y++) {
    const sy = 2 * y + offset
    const target = out + (((y * ow) as usize) << 4)
    const isInside = sy >= 1 && sy + 2 < sh && x1 > x0
    const from = isInside ? x0 : ow
    const to = isInside ? x1 : ow
    for (let x = 0; x < from; x++) v128.store(target + ((x as usize) << 4), halveAt(src, 2 * x + offset, sy, sw, sh, black))
    if (isInside) {
      // Each column sum serves two outputs.
      let at = src + ((sy - 1) as usize) * stride + (((2 * from + offset - 1) as usize) << 4)
      let a = column(at, stride, three)
      let b = column(at + 16, stride, three)
      for (let x = from; x < to; x++) {
        const c = column(at + 32, stride, three)
        const d = column(at + 48, stride, three)
        const sum = f32x4.add(f32x4.add(a, d), f32x4.mul(f32x4.add(b, c), three))
        v128.store(target + ((x as usize) << 4), f32x4.mul(sum, norm))
        a = c
        b = d
        at += 32
      }
    }
    for (let x = to; x < ow; x++) v128.store(target + ((x as usize) << 4), halveAt(src, 2 * x + offset, sy, sw, sh, black))
  }
}

/** Zero pixels on both sides of a row in a thread's own rows: what `halve` reads there is black. */
const rowPad = 16
export function brightHalve(
  out: usize, src: usize, scratch: usize, scratchBytes: i32, ow: i32, sw: i32, sh: i32, offset: i32,
  threshold: f32, knee: f32, ceiling: f32, weigh: usize, y0: i32, y1: i32,
): void {
  const three = f32x4.splat(3)
  const norm = f32x4.splat(1.0 / 64.0)
  const rowBytes = ((sw + 2 * rowPad) as usize) << 4
  const padBytes: usize = rowPad << 4
  // Four rows that turn with the source rows, and one that is black.
  const rows = scratch + ((thread * scratchBytes) as usize)
  const black = rows + 4 * rowBytes
  memory.fill(rows, 0, 5 * rowBytes)
  let next = 2 * y0 + offset - 1
  for (let y = y0; y < y1; y++) {
    const top = 2 * y + offset - 1
    for (; next < top + 4; next++)
      if (next >= 0 && next < sh)
        brightRun(rows + ((next & 3) as usize) * rowBytes + padBytes, src + (((next * sw) as usize) << 4), threshold, knee, ceiling, weigh, sw as usize)
    const a = top >= 0 && top < sh ? rows + ((top & 3) as usize) * rowBytes : black
    const b = top >= -1 && top + 1 < sh ? rows + (((top + 1) & 3) as usize) * rowBytes : black
    const c = top >= -2 && top + 2 < sh ? rows + (((top + 2) & 3) as usize) * rowBytes : black
    const d = top >= -3 && top + 3 < sh ? rows + (((top + 3) & 3) as usize) * rowBytes : black
    const target = out + (((y * ow) as usize) << 4)
    let at = ((rowPad + offset - 1) as usize) << 4
    let left = columnOf(a, b, c, d, at, three)
    let next0 = columnOf(a, b, c, d, at + 16, three)
    for (let x = 0; x < ow; x++) {
      const right0 = columnOf(a, b, c, d, at + 32, three)
      const right1 = columnOf(a, b, c, d, at + 48, three)
      const sum = f32x4.add(f32x4.add(left, right1), f32x4.mul(f32x4.add(next0, right0), three))
      v128.store(target + ((x as usize) << 4), f32x4.mul(sum, norm))
      left = right0
      next0 = right1
      at += 32
    }
  }
}

@inline
function columnOf(a: usize, b: usize, c: usize, d: usize, at: usize, three: v128): v128 {
  const outer = f32x4.add(v128.load(a + at), v128.load(d + at))
  const inner = f32x4.add(v128.load(b + at), v128.load(c + at))
  return f32x4.add(outer, f32x4.mul(inner, three))
}

@inline
function tent(near: v128, far: v128): v128 {
  return f32x4.add(f32x4.mul(near, f32x4.splat(0.75)), f32x4.mul(far, f32x4.splat(0.25)))
}

@inline
function storeUp(out: usize, fine: usize, value: v128, wf: v128, wc: v128): void {
  const scaled = f32x4.mul(value, wc)
  v128.store(out, fine ? f32x4.add(scaled, f32x4.mul(v128.load(fine), wf)) : scaled)
}

export function upAdd(
  out: usize, fine: usize, coarse: usize, ow: i32, cw: i32, ch: i32, offset: i32, fineWeight: f32, coarseWeight: f32,
  y0: i32, y1: i32,
): void {
  const wf = f32x4.splat(fineWeight)
  const wc = f32x4.splat(coarseWeight)
  // Pairs of outputs that read coarse columns c − 1, c, c + 1, all inside; c runs from c0 to c1 − 1.
  const c0 = max<i32>(1, (1 - offset) >> 1)
  const c1 = max<i32>(c0, min<i32>(cw - 1, (ow - offset) >> 1))
  for (let y = y0; y < y1; y++) {
    const fy = y - offset
    const cy = fy >> 1
    const rowA = coarse + (((held(cy, ch) * cw) as usize) << 4)
    const rowB = coarse + (((held(cy + ((fy & 1) << 1) - 1, ch) * cw) as usize) << 4)
    const target = out + (((y * ow) as usize) << 4)
    const beside = fine ? fine + (((y * ow) as usize) << 4) : 0
    const from = 2 * c0 + offset
    const to = 2 * c1 + offset
    for (let x = 0; x < ow; x++) {
      if (x == from && c1 > c0) {
        let at = (c0 as usize) << 4
        let left = tent(v128.load(rowA + at - 16), v128.load(rowB + at - 16))
        let middle = tent(v128.load(rowA + at), v128.load(rowB + at))
        for (; x < to; x += 2) {
          const right = tent(v128.load(rowA + at, 16), v128.load(rowB + at, 16))
          const o = (x as usize) << 4
          storeUp(target + o, beside ? beside + o : 0, tent(middle, left), wf, wc)
          storeUp(target + o + 16, beside ? beside + o + 16 : 0, tent(middle, right), wf, wc)
          left = middle
          middle = right
          at += 16
        }
        if (x >= ow) break
      }
      const fx = x - offset
      const cx = fx >> 1
      const a = (held(cx, cw) as usize) << 4
      const b = (held(cx + ((fx & 1) << 1) - 1, cw) as usize) << 4
      const near = tent(v128.load(rowA + a), v128.load(rowB + a))
      const far = tent(v128.load(rowA + b), v128.load(rowB + b))
      const o = (x as usize) << 4
      storeUp(target + o, beside ? beside + o : 0, tent(near, far), wf, wc)
    }
  }
}

/**
 * Four neighbouring pixels of a symmetric filter whose taps lie `step` bytes apart, all inside. Four sums at once, so that none waits for
 * itself.
 */
@inline
function gaussFour(target: usize, at: usize, weights: usize, radius: i32, step: usize): void {
  const centre = v128.load32_splat(weights)
  let a = f32x4.mul(v128.load(at), centre)
  let b = f32x4.mul(v128.load(at, 16), centre)
  let c = f32x4.mul(v128.load(at, 32), centre)
  let d = f32x4.mul(v128.load(at, 48), centre)
  let before = at
  let after = at
  let weightAt = weights
  for (let k = 0; k < radius; k++) {
    before -= step
    after += step
    weightAt += 4
    const weight = v128.load32_splat(weightAt)
    a = f32x4.add(a, f32x4.mul(f32x4.add(v128.load(before), v128.load(after)), weight))
    b = f32x4.add(b, f32x4.mul(f32x4.add(v128.load(before, 16), v128.load(after, 16)), weight))
    c = f32x4.add(c, f32x4.mul(f32x4.add(v128.load(before, 32), v128.load(after, 32)), weight))
    d = f32x4.add(d, f32x4.mul(f32x4.add(v128.load(before, 48), v128.load(after, 48)), weight))
  }
  v128.store(target, a)
  v128.store(target, b, 16)
  v128.store(target, c, 32)
  v128.store(target, d, 48)
}

export function gaussRows(out: usize, src: usize, weights: usize, radius: i32, width: i32, y0: i32, y1: i32): void {
  const centre = v128.load32_splat(weights)
  for (let y = y0; y < y1; y++) {
    const row = src + (((y * width) as usize) << 4)
    const target = out + (((y * width) as usize) << 4)
    for (let x = 0; x < width; x++) {
      if (x >= radius)
        for (; x + 3 + radius < width; x += 4)
          gaussFour(target + ((x as usize) << 4), row + ((x as usize) << 4), weights, radius, 16)
      if (x >= width) break
      let sum = f32x4.mul(v128.load(row + ((x as usize) << 4)), centre)
      for (let k = 1; k <= radius; k++) {
        const pair = f32x4.add(
          v128.load(row + ((held(x - k, width) as usize) << 4)),
          v128.load(row + ((held(x + k, width) as usize) << 4)),
        )
        sum = f32x4.add(sum, f32x4.mul(pair, v128.load32_splat(weights + ((k as usize) << 2))))
      }
      v128.store(target + ((x as usize) << 4), sum)
    }
  }
}

/** [1 6 15 20 15 6 1]/64 along both axes in one pass; edges repeat. */
export function smooth(out: usize, src: usize, scratch: usize, scratchBytes: i32, width: i32, height: i32, y0: i32, y1: i32): void {
  const line = scratch + ((thread * scratchBytes) as usize)
  const inner = line + 48
  const stride = (width as usize) << 4
  const w0 = f32x4.splat(20.0 / 64.0)
  const w1 = f32x4.splat(15.0 / 64.0)
  const w2 = f32x4.splat(6.0 / 64.0)
  const w3 = f32x4.splat(1.0 / 64.0)
  for (let y = y0; y < y1; y++) {
    const r0 = src + (y as usize) * stride
    const a1 = src + (held(y - 1, height) as usize) * stride
    const b1 = src + (held(y + 1, height) as usize) * stride
    const a2 = src + (held(y - 2, height) as usize) * stride
    const b2 = src + (held(y + 2, height) as usize) * stride
    const a3 = src + (held(y - 3, height) as usize) * stride
    const b3 = src + (held(y + 3, height) as usize) * stride
    for (let i: usize = 0; i < stride; i += 16) {
      const near = f32x4.add(
        f32x4.mul(v128.load(r0 + i), w0),
        f32x4.mul(f32x4.add(v128.load(a1 + i), v128.load(b1 + i)), w1),
      )
      const far = f32x4.add(
        f32x4.mul(f32x4.add(v128.load(a2 + i), v128.load(b2 + i)), w2),
        f32x4.mul(f32x4.add(v128.load(a3 + i), v128.load(b3 + i)), w3),
      )
      v128.store(inner + i, f32x4.add(near, far))
    }
    for (let k: usize = 1; k <= 3; k++) {
      v128.store(inner - (k << 4), v128.load(inner))
      v128.store(inner + stride - 16 + (k << 4), v128.load(inner + stride - 16))
    }
    const target = out + (y as usize) * stride
    for (let i: usize = 0; i < stride; i += 16) {
      const at = inner + i
      const near = f32x4.add(
        f32x4.mul(v128.load(at), w0),
        f32x4.mul(f32x4.add(v128.load(at - 16), v128.load(at, 16)), w1),
      )
      const far = f32x4.add(
        f32x4.mul(f32x4.add(v128.load(at - 32), v128.load(at, 32)), w2),
        f32x4.mul(f32x4.add(v128.load(at - 48), v128.load(at, 48)), w3),
      )
      v128.store(target + i, f32x4.add(near, far))
    }
  }
}

export function gaussColumns(
  out: usize, src: usize, weights: usize, radius: i32, width: i32, height: i32, y0: i32, y1: i32,
): void {
  const stride = (width as usize) << 4
  // Strips of 16 pixels keep the rows a column reads in the first cache level.
  for (let x0 = 0; x0 < width; x0 += 16) {
    const x1 = min<i32>(x0 + 16, width)
    for (let y = y0; y < y1; y++) {
      const row = (((y * width) as usize) << 4)
      let x = x0
      if (y >= radius && y + radius < height)
        for (; x + 4 <= x1; x += 4) {
          const at = row + ((x as usize) << 4)
          gaussFour(out + at, src + at, weights, radius, stride)
        }
      for (; x < x1; x++) {
        let sum = f32x4.mul(v128.load(src + row + ((x as usize) << 4)), v128.load32_splat(weights))
        for (let k = 1; k <= radius; k++) {
          const pair = f32x4.add(
            v128.load(src + (((held(y - k, height) * width + x) as usize) << 4)),
            v128.load(src + (((held(y + k, height) * width + x) as usize) << 4)),
          )
          sum = f32x4.add(sum, f32x4.mul(pair, v128.load32_splat(weights + ((k as usize) << 2))))
        }
        v128.store(out + row + ((x as usize) << 4), sum)
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

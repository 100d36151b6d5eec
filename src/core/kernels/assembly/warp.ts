// @ts-nocheck: AssemblyScript, checked by its own compiler
import { betweenFour } from './cubic'
import { thread } from './thread'
import { permutation } from './permutation'

@inline
function hashed(i: i32): i32 {
  return load<u8>(permutation + ((i & 255) as usize)) as i32
}

@inline
function fade(t: f64): f64 {
  return t * t * t * (t * (t * 6 - 15) + 10)
}
@inline
function fadeSlope(t: f64): f64 {
  return 30 * t * t * (t - 1) * (t - 1)
}
@inline
function fade4(t: v128): v128 {
  const inner = f32x4.add(f32x4.mul(t, f32x4.sub(f32x4.mul(t, f32x4.splat(6)), f32x4.splat(15))), f32x4.splat(10))
  return f32x4.mul(f32x4.mul(t, f32x4.mul(t, t)), inner)
}
@inline
function fadeSlope4(t: v128): v128 {
  const u = f32x4.mul(t, f32x4.sub(t, f32x4.splat(1)))
  return f32x4.mul(f32x4.splat(30), f32x4.mul(u, u))
}

// Across one cell of the lattice, at one height and time, a corner's share is a straight line a·r + b of the way r from it, and so is
// its slope downwards, c·r + d. They are put here by `side`.
let sideA: f64 = 0
let sideB: f64 = 0
let sideC: f64 = 0
let sideD: f64 = 0

/** The four corners (two heights, two times) on one side of a cell, weighed. */
function side(i: i32, j: i32, k: i32, ry: f64, rz: f64): void {
  const v = fade(ry), w = fade(rz), dv = fadeSlope(ry)
  sideA = 0
  sideB = 0
  sideC = 0
  sideD = 0
  for (let q = 0; q < 4; q++) {
    const dj = q & 1, dk = q >> 1
    const h = hashed(hashed(hashed(i) + j + dj) + k + dk) & 15
    // Its direction: two of x, y and z, each with a sign.
    const s1: f64 = h & 1 ? -1 : 1, s2: f64 = h & 2 ? -1 : 1
    let gx: f64 = 0, gy: f64 = 0, gz: f64 = 0
    if (h < 8) gx += s1
    else gy += s1
    if (h < 4) gy += s2
    else if (h == 12 || h == 14) gx += s2
    else gz += s2
    const wv = dj ? v : 1 - v, ww = dk ? w : 1 - w, slope = dj ? dv : -dv
    const rest = gy * (ry - (dj as f64)) + gz * (rz - (dk as f64))
    sideA += wv * ww * gx
    sideB += wv * ww * rest
    sideC += slope * ww * gx
    sideD += slope * ww * rest + wv * ww * gy
  }
}

/** Doubles of one part of a field. */
const partSize = 8

/**
 * See WarpKernels.noiseWay. Each part: steps of the lattice in a pixel, where the lattice begins (x, y, z), and how far the noise itself
 * goes right and down, its slope downwards goes right, and its slope to the right goes down.
 */
export function noiseWay(
  right: usize, down: usize, parts: usize, count: i32, left: f64, top: f64, width: i32, y0: i32, y1: i32,
): void {
  for (let y = y0; y < y1; y++) {
    const row = right + (((y * width) as usize) << 2), low = down + (((y * width) as usize) << 2)
    memory.fill(row, 0, (width as usize) << 2)
    memory.fill(low, 0, (width as usize) << 2)
    for (let p = 0; p < count; p++) {
      const part = parts + ((p * partSize) as usize) * 8
      const f = load<f64>(part)
      const y3 = ((y as f64) + 0.5 + top) * f + load<f64>(part, 16), z3 = load<f64>(part, 24)
      const x3 = (0.5 + left) * f + load<f64>(part, 8)
      const toX = load<f64>(part, 32) as f32, toY = load<f64>(part, 40) as f32
      const downToX = load<f64>(part, 48) as f32, acrossToY = load<f64>(part, 56) as f32
      const isSloped = downToX != 0 || acrossToY != 0
      const j = floor<f64>(y3), k = floor<f64>(z3)
      const ry = y3 - j, rz = z3 - k
      let cell = floor<f64>(x3)
      side(cell as i32, j as i32, k as i32, ry, rz)
      let a0 = sideA, b0 = sideB, c0 = sideC, d0 = sideD
      let x = 0
      while (x < width) {
        side((cell as i32) + 1, j as i32, k as i32, ry, rz)
        const a1 = sideA, b1 = sideB, c1 = sideC, d1 = sideD
        // Pixels up to the next line of the lattice.
        let end = x + 1
        if (f < 1) {
          end = ceil<f64>((cell + 1 - x3) / f) as i32
          if (end <= x) end = x + 1
          if (end > width) end = width
        }
        const first = x3 + (x as f64) * f - cell
        let r = f32x4(first as f32, (first + f) as f32, (first + 2 * f) as f32, (first + 3 * f) as f32)
        const step = f32x4.splat((4 * f) as f32)
        const one = f32x4.splat(1)
        const va0 = f32x4.splat(a0 as f32), vb0 = f32x4.splat(b0 as f32), va1 = f32x4.splat(a1 as f32), vb1 = f32x4.splat(b1 as f32)
        for (; x < end; x += 4) {
          const u = fade4(r)
          const n0 = f32x4.add(f32x4.mul(va0, r), vb0)
          const n1 = f32x4.add(f32x4.mul(va1, f32x4.sub(r, one)), vb1)
          const apart = f32x4.sub(n1, n0)
          const n = f32x4.add(n0, f32x4.mul(u, apart))
          let dx = f32x4.mul(n, f32x4.splat(toX)), dy = f32x4.mul(n, f32x4.splat(toY))
          if (isSloped) {
            const slopeX = f32x4.add(f32x4.add(va0, f32x4.mul(u, f32x4.sub(va1, va0))), f32x4.mul(fadeSlope4(r), apart))
            const m0 = f32x4.add(f32x4.mul(f32x4.splat(c0 as f32), r), f32x4.splat(d0 as f32))
            const m1 = f32x4.add(f32x4.mul(f32x4.splat(c1 as f32), f32x4.sub(r, one)), f32x4.splat(d1 as f32))
            const slopeY = f32x4.add(m0, f32x4.mul(u, f32x4.sub(m1, m0)))
            dx = f32x4.add(dx, f32x4.mul(slopeY, f32x4.splat(downToX)))
            dy = f32x4.add(dy, f32x4.mul(slopeX, f32x4.splat(acrossToY)))
          }
          const at = (x as usize) << 2
          if (x + 4 <= end) {
            v128.store(row + at, f32x4.add(v128.load(row + at), dx))
            v128.store(low + at, f32x4.add(v128.load(low + at), dy))
          } else {
            addSome(row + at, dx, end - x)
            addSome(low + at, dy, end - x)
          }
          r = f32x4.add(r, step)
        }
        x = end
        const next = f < 1 ? cell + 1 : floor<f64>(x3 + (x as f64) * f)
        if (next == cell + 1) {
          a0 = a1
          b0 = b1
          c0 = c1
          d0 = d1
        } else if (next != cell) {
          side(next as i32, j as i32, k as i32, ry, rz)
          a0 = sideA
          b0 = sideB
          c0 = sideC
          d0 = sideD
        }
        cell = next
      }
    }
  }
}

@inline
function addSome(at: usize, values: v128, count: i32): void {
  store<f32>(at, load<f32>(at) + f32x4.extract_lane(values, 0))
  if (count > 1) store<f32>(at, load<f32>(at, 4) + f32x4.extract_lane(values, 1), 4)
  if (count > 2) store<f32>(at, load<f32>(at, 8) + f32x4.extract_lane(values, 2), 8)
}

@inline
function cubic(x: f32): f32 {
  const a = abs<f32>(x)
  if (a < 1) return (1.5 * a - 2.5) * a * a + 1
  return a < 2 ? ((-0.5 * a + 2.5) * a - 4) * a + 2 : 0
}

@inline
function cubic4(x: v128): v128 {
  const a = f32x4.abs(x), one = f32x4.splat(1), two = f32x4.splat(2)
  const near = f32x4.add(f32x4.mul(f32x4.mul(a, a), f32x4.sub(f32x4.mul(f32x4.splat(1.5), a), f32x4.splat(2.5))), one)
  const far = f32x4.add(f32x4.mul(a, f32x4.sub(f32x4.mul(a, f32x4.sub(f32x4.splat(2.5), f32x4.mul(f32x4.splat(0.5), a))), f32x4.splat(4))), two)
  return v128.and(v128.bitselect(near, far, f32x4.lt(a, one)), f32x4.lt(a, two))
}

/** The pixel that counts at a place beyond an edge: none (−1), the edge's own, or its mirror image. */
@inline
function edged(i: i32, n: i32, edge: i32): i32 {
  if (i >= 0 && i < n) return i
  if (edge == 0) return -1
  if (edge == 1) return i < 0 ? 0 : n - 1
  const period = 2 * n
  let m = i % period
  if (m < 0) m += period
  return m < n ? m : period - 1 - m
}

/** The filter grows with what it takes in from this on: less than a quarter smaller shows nothing. */
const slack: f32 = 0.8
const widest: f32 = 16

/** How wide the filter is for a step of the picture of so much. */
@inline
function filterWidth(a: f32, b: f32): f32 {
  const square = a * a + b * b
  if (square <= 1 / (slack * slack)) return 1
  return min<f32>(widest, slack * sqrt<f32>(square))
}

/** How far from its way a pixel's neighbour goes, on the right or below; at the last column or row the one before tells. */
@inline
function change(plane: usize, hold: usize, i: usize, here: f32, step: isize): f32 {
  if (step == 0) return 0
  const there = i + (step as usize)
  let next = load<f32>(plane + (there << 2))
  if (hold) next *= 1 - load<f32>(hold + (there << 2))
  const apart: f32 = next - here
  return step < 0 ? -apart : apart
}

/** One pixel, wherever it comes from and however much is squeezed there. */
function warpOne(
  out: usize, src: usize, right: usize, down: usize, hold: usize, weights: usize, edge: i32, width: i32, height: i32, x: i32, y: i32,
): void {
  const i = (y * width + x) as usize
  let dx = load<f32>(right + (i << 2)), dy = load<f32>(down + (i << 2))
  if (hold) {
    const free: f32 = 1 - load<f32>(hold + (i << 2))
    dx *= free
    dy *= free
  }
  const toRight: isize = x + 1 < width ? 1 : width > 1 ? -1 : 0
  const toBelow: isize = y + 1 < height ? (width as isize) : height > 1 ? -(width as isize) : 0
  const su = filterWidth(1 - change(right, hold, i, dx, toRight), change(right, hold, i, dx, toBelow))
  const sv = filterWidth(change(down, hold, i, dy, toRight), 1 - change(down, hold, i, dy, toBelow))
  const u: f32 = (x as f32) + 0.5 - dx, v: f32 = (y as f32) + 0.5 - dy
  const target = out + (i << 4)
  let sum = f32x4.splat(0)
  if (u == (x as f32) + 0.5 && v == (y as f32) + 0.5 && su == 1 && sv == 1) {
    v128.store(target, v128.load(src + (i << 4)))
    return
  }
  const ru: f32 = su + su, rv: f32 = sv + sv
  if (edge == 0 && (u + ru < 0 || v + rv < 0 || u - ru > (width as f32) || v - rv > (height as f32))) {
    v128.store(target, sum)
    return
  }
  const left = ceil<f32>(u - ru - 0.5) as i32, last = floor<f32>(u + ru - 0.5) as i32
  const top = ceil<f32>(v - rv - 0.5) as i32, bottom = floor<f32>(v + rv - 0.5) as i32
  let total: f32 = 0
  const perU: f32 = 1 / su, perV: f32 = 1 / sv
  let sum4 = f32x4.splat(0)
  for (let sx = left; sx <= last; sx += 4) {
    // What lies beyond the last is farther than the filter reaches.
    const w = cubic4(f32x4.mul(f32x4.add(f32x4.splat((sx as f32) + 0.5 - u), f32x4(0, 1, 2, 3)), f32x4.splat(perU)))
    sum4 = f32x4.add(sum4, w)
    v128.store(weights + (((sx - left) as usize) << 2), w)
  }
  total = f32x4.extract_lane(sum4, 0) + f32x4.extract_lane(sum4, 1) + f32x4.extract_lane(sum4, 2) + f32x4.extract_lane(sum4, 3)
  const whole: f32 = total != 0 ? 1 / total : 0
  const isInside = left >= 0 && last < width
  let totalDown: f32 = 0
  for (let sy = top; sy <= bottom; sy++) {
    const wy = cubic(((sy as f32) + 0.5 - v) * perV)
    totalDown += wy
    const ey = edged(sy, height, edge)
    if (ey < 0 || wy == 0) continue
    const row = src + (((ey * width) as usize) << 4)
    let line = f32x4.splat(0)
    if (isInside) {
      let at = row + ((left as usize) << 4), w = weights
      for (let sx = left; sx <= last; sx++) {
        line = f32x4.add(line, f32x4.mul(v128.load(at), v128.load32_splat(w)))
        at += 16
        w += 4
      }
    } else
      for (let sx = left; sx <= last; sx++) {
        const ex = edged(sx, width, edge)
        if (ex >= 0)
          line = f32x4.add(line, f32x4.mul(v128.load(row + ((ex as usize) << 4)), v128.load32_splat(weights + (((sx - left) as usize) << 2))))
      }
    sum = f32x4.add(sum, f32x4.mul(line, f32x4.splat(wy)))
  }
  v128.store(target, f32x4.mul(sum, f32x4.splat(totalDown != 0 ? whole / totalDown : 0)))
}

/** See WarpKernels.warp. */
export function warp(
  out: usize, src: usize, right: usize, down: usize, hold: usize, scratch: usize, scratchBytes: i32, edge: i32, width: i32, height: i32,
  y0: i32, y1: i32,
): void {
  const weights = scratch + ((thread * scratchBytes) as usize)
  const line = (width as usize) << 2
  const one = f32x4.splat(1), half = f32x4.splat(0.5)
  for (let y = y0; y < y1; y++) {
    let x = 0
    // Four at once, where none of them is squeezed nor near the edge; the pixel after them and the row below tell how they are.
    while (y + 1 < height && x + 4 < width) {
      const i = ((y * width + x) as usize) << 2
      let dx = v128.load(right + i), besideX = v128.load(right + i, 4), belowX = v128.load(right + i + line)
      let dy = v128.load(down + i), besideY = v128.load(down + i, 4), belowY = v128.load(down + i + line)
      if (hold) {
        const free = f32x4.sub(one, v128.load(hold + i)), beside = f32x4.sub(one, v128.load(hold + i, 4))
        const below = f32x4.sub(one, v128.load(hold + i + line))
        dx = f32x4.mul(dx, free)
        dy = f32x4.mul(dy, free)
        besideX = f32x4.mul(besideX, beside)
        besideY = f32x4.mul(besideY, beside)
        belowX = f32x4.mul(belowX, below)
        belowY = f32x4.mul(belowY, below)
      }
      const ax = f32x4.sub(one, f32x4.sub(besideX, dx)), bx = f32x4.sub(belowX, dx)
      const ay = f32x4.sub(besideY, dy), by = f32x4.sub(one, f32x4.sub(belowY, dy))
      const wide = f32x4.pmax(f32x4.add(f32x4.mul(ax, ax), f32x4.mul(bx, bx)), f32x4.add(f32x4.mul(ay, ay), f32x4.mul(by, by)))
      const xs = f32x4.add(f32x4.splat(x as f32), f32x4(0.5, 1.5, 2.5, 3.5))
      const u = f32x4.sub(f32x4.sub(xs, dx), half), v = f32x4.sub(f32x4.sub(f32x4.splat((y as f32) + 0.5), dy), half)
      const isEven = i32x4.all_true(f32x4.le(wide, f32x4.splat(1 / (slack * slack))))
      if (!isEven || !betweenFour(out + (i << 2), src, u, v, width, height))
        for (let k = 0; k < 4; k++) warpOne(out, src, right, down, hold, weights, edge, width, height, x + k, y)
      x += 4
    }
    for (; x < width; x++) warpOne(out, src, right, down, hold, weights, edge, width, height, x, y)
  }
}

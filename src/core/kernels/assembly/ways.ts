// @ts-nocheck: AssemblyScript, checked by its own compiler
import { areInside, between, four, held } from './between'
import { thread } from './thread'

/**
 * Lines, or rows, that are made together: beside each other all lie equally far between the pixels above and below. With nearly every pixel a line
 * comes to another page of memory, which many then share.
 */
const together = 32

/**
 * Pixels of a column, from `top`, as lines that lie `part` below them; one line lies `lineBytes` after the other, one pixel `stride`
 * after the other. Edges repeat.
 */
@inline
function gather(line: usize, lineBytes: usize, lines: i32, column: usize, stride: usize, top: i32, height: i32, part: v128): void {
  if (top >= 0 && top + lines < height) {
    let at = column + (top as usize) * stride
    let above = v128.load(at)
    for (let k = 0; k < lines; k++) {
      at += stride
      const below = v128.load(at)
      v128.store(line, f32x4.add(above, f32x4.mul(f32x4.sub(below, above), part)))
      above = below
      line += lineBytes
    }
    return
  }
  for (let k = 0; k < lines; k++) {
    const above = v128.load(column + (held(top + k, height) as usize) * stride)
    const below = v128.load(column + (held(top + k + 1, height) as usize) * stride)
    v128.store(line, f32x4.add(above, f32x4.mul(f32x4.sub(below, above), part)))
    line += lineBytes
  }
}

/**
 * See WaysKernels.boxLines: rows are lines y = first + row + slope · x. A window of `back` and `ahead` pixels runs along each. One x lies
 * `across` bytes after the other in the picture, one y `down` bytes.
 */
export function boxLines(
  out: usize, src: usize, across: i32, down: i32, slope: f64, first: f64, back: f64, ahead: f64, scratch: usize, scratchBytes: i32,
  width: i32, height: i32, y0: i32, y1: i32,
): void {
  const own = scratch + ((thread * scratchBytes * together) as usize)
  const stride = (width as usize) << 4
  // Whole pixels of the window, and the shares of those at its ends.
  const before = Math.floor(back + 0.5) as i32, after = Math.floor(ahead + 0.5) as i32
  const beforePart = f32x4.splat((back + 0.5 - (before as f64)) as f32), afterPart = f32x4.splat((ahead + 0.5 - (after as f64)) as f32)
  const scale = f32x4.splat((1 / (back + ahead)) as f32)
  const isNarrow = back + ahead < 1e-6
  for (let group = y0; group < y1; group += together) {
    const lines = min<i32>(together, y1 - group)
    const c = first + (group as f64)
    // Where any of these lines, or its neighbour, runs through the picture.
    let from = 0, to = width
    if (slope != 0) {
      const high = -3 - c - (lines as f64), low = (height as f64) + 2 - c
      const a = high / slope, b = low / slope
      from = max<i32>(0, Math.floor(min<f64>(a, b)) as i32)
      to = min<i32>(width, (Math.ceil(max<f64>(a, b)) as i32) + 1)
    }
    if (to <= from) continue
    // From what lies before the first pixel's window to what lies after the last one's, an end pixel more on both sides.
    const begin = from - before - 1, count = to - from + before + after + 2
    for (let i = 0; i < count; i++) {
      const x = begin + i
      const y = first + (x as f64) * slope
      const whole = Math.floor(y)
      const column = src + ((held(x, width) * across) as usize)
      gather(own + ((i as usize) << 4), scratchBytes as usize, lines, column, down as usize, (whole as i32) + group, height, f32x4.splat((y - whole) as f32))
    }
    for (let k = 0; k < lines; k++) {
      const line = own + ((k * scratchBytes) as usize)
      const target = out + ((group + k) as usize) * stride
      let lo = f64x2.splat(0), hi = f64x2.splat(0)
      for (let i = 1; i < before + after; i++) {
        const p = v128.load(line + (((i + 1) as usize) << 4))
        lo = f64x2.add(lo, f64x2.promote_low_f32x4(p))
        hi = f64x2.add(hi, f64x2.promote_low_f32x4(v128.shuffle<i64>(p, p, 1, 1)))
      }
      const last = ((before + after + 1) as usize) << 4
      for (let x = from; x < to; x++) {
        const at = line + (((x - from) as usize) << 4)
        if (isNarrow) {
          v128.store(target + ((x as usize) << 4), v128.load(at + (((before + 1) as usize) << 4)))
          continue
        }
        // Whole pixels from x − before + 1 to x + after − 1; those at the ends have a share.
        const first4 = v128.load(at + 16), last4 = v128.load(at + last)
        const whole = v128.shuffle<f32>(f32x4.demote_f64x2_zero(lo), f32x4.demote_f64x2_zero(hi), 0, 1, 4, 5)
        const ends = before + after == 0
          ? f32x4.mul(first4, f32x4.sub(f32x4.add(beforePart, afterPart), f32x4.splat(1)))
          : f32x4.add(f32x4.mul(first4, beforePart), f32x4.mul(last4, afterPart))
        v128.store(target + ((x as usize) << 4), f32x4.mul(f32x4.add(before + after == 0 ? f32x4.splat(0) : whole, ends), scale))
        if (before + after < 2) continue
        // The window moves on: its first whole pixel goes, its last one comes.
        const gone = v128.load(at + 32), come = last4
        lo = f64x2.add(lo, f64x2.sub(f64x2.promote_low_f32x4(come), f64x2.promote_low_f32x4(gone)))
        hi = f64x2.add(hi, f64x2.sub(f64x2.promote_low_f32x4(v128.shuffle<i64>(come, come, 1, 1)), f64x2.promote_low_f32x4(v128.shuffle<i64>(gone, gone, 1, 1))))
      }
    }
  }
}

/** See WaysKernels.boxBack: the lines back in the picture, by Catmull–Rom between four of them. Bytes as in boxLines; y from y0 to y1. */
export function boxBack(out: usize, lines: usize, across: i32, down: i32, slope: f64, first: f64, width: i32, y0: i32, y1: i32): void {
  const stride = (width as usize) << 4
  for (let group = y0; group < y1; group += together) {
    const rows = min<i32>(together, y1 - group)
    for (let x = 0; x < width; x++) {
      const at = -first - (x as f64) * slope
      const floored = Math.floor(at)
      const t = (at - floored) as f32
      const whole = (floored as i32) + group
      const column = lines + ((x as usize) << 4)
      let target = out + ((group * down + x * across) as usize)
      const w0: f32 = ((-0.5 * t + 1) * t - 0.5) * t, w1: f32 = (1.5 * t - 2.5) * t * t + 1, w3: f32 = (0.5 * t - 0.5) * t * t
      const w2: f32 = 1 - w0 - w1 - w3
      const k0 = f32x4.splat(w0), k1 = f32x4.splat(w1), k2 = f32x4.splat(w2), k3 = f32x4.splat(w3)
      let p = column + (whole as usize) * stride
      if (t == 0) {
        for (let k = 0; k < rows; k++) {
          v128.store(target, v128.load(p))
          p += stride
          target += down
        }
        continue
      }
      let a = v128.load(p - stride), b = v128.load(p), c = v128.load(p + stride)
      for (let k = 0; k < rows; k++) {
        const d = v128.load(p + 2 * stride)
        let sum = f32x4.mul(a, k0)
        sum = f32x4.add(sum, f32x4.mul(b, k1))
        sum = f32x4.add(sum, f32x4.mul(c, k2))
        sum = f32x4.add(sum, f32x4.mul(d, k3))
        v128.store(target, sum)
        a = b
        b = c
        c = d
        p += stride
        target += down
      }
    }
  }
}

const mostSamples = 1024

/**
 * See WaysKernels.aroundPoint. isTurn: the arc from −amount to amount (radians) about the point; else from 1 − amount to 1 + amount
 * of the way from it. The steps of an arc are turned one by one, by a sine and a cosine of each number of steps in `turns`.
 */
export function aroundPoint(
  out: usize, src: usize, isTurn: i32, cx: f32, cy: f32, amount: f32, turns: usize, width: i32, height: i32, y0: i32, y1: i32,
): void {
  for (let y = y0; y < y1; y++)
    for (let x = 0; x < width; x++) {
      const dx = (x as f32) + 0.5 - cx, dy = (y as f32) + 0.5 - cy
      const far = (amount + amount) * sqrt<f32>(dx * dx + dy * dy)
      const at = out + (((y * width + x) as usize) << 4)
      if (far < 1e-3) {
        v128.store(at, v128.load(src + (((y * width + x) as usize) << 4)))
        continue
      }
      const samples = min<i32>(mostSamples, max<i32>(2, ceil<f32>(far) as i32))
      let sum = f32x4.splat(0)
      const samplesF = samples as f32
      // The first of the arc, and one step of it.
      const entry = turns + ((samples as usize) << 5)
      let cos = isTurn ? load<f64>(entry) : 1, sin = isTurn ? load<f64>(entry, 8) : 0
      const stepCos = isTurn ? load<f64>(entry, 16) : 1, stepSin = isTurn ? load<f64>(entry, 24) : 0
      // A way that may leave the picture is walked step by step.
      const bx = abs<f32>(dx) * amount, by = abs<f32>(dy) * amount
      const round: f32 = isTurn ? far * 0.5 : 0
      const px = x as f32, py = y as f32
      const isInside = isTurn
        ? areInside(px - round - 1, py - round - 1, px + round + 1, py + round + 1, width, height)
        : areInside(px - bx, py - by, px + bx, py + by, width, height)
      let s = 0
      if (isInside)
        for (; s + 4 <= samples; s += 4) {
          let u: v128, v: v128
          if (isTurn) {
            let c = f32x4.splat(cos as f32), n = f32x4.splat(sin as f32)
            for (let k = 1; k < 4; k++) {
              const next = cos * stepCos - sin * stepSin
              sin = sin * stepCos + cos * stepSin
              cos = next
              if (k == 1) {
                c = f32x4.replace_lane(c, 1, cos as f32)
                n = f32x4.replace_lane(n, 1, sin as f32)
              } else if (k == 2) {
                c = f32x4.replace_lane(c, 2, cos as f32)
                n = f32x4.replace_lane(n, 2, sin as f32)
              } else {
                c = f32x4.replace_lane(c, 3, cos as f32)
                n = f32x4.replace_lane(n, 3, sin as f32)
              }
            }
            const next = cos * stepCos - sin * stepSin
            sin = sin * stepCos + cos * stepSin
            cos = next
            u = f32x4.add(f32x4.splat(cx - 0.5), f32x4.sub(f32x4.mul(c, f32x4.splat(dx)), f32x4.mul(n, f32x4.splat(dy))))
            v = f32x4.add(f32x4.splat(cy - 0.5), f32x4.add(f32x4.mul(n, f32x4.splat(dx)), f32x4.mul(c, f32x4.splat(dy))))
          } else {
            const place = f32x4.add(f32x4.splat((s as f32) + 0.5), f32x4(0, 1, 2, 3))
            const share = f32x4.sub(f32x4.mul(place, f32x4.splat(2 / samplesF)), f32x4.splat(1))
            const scale = f32x4.add(f32x4.splat(1), f32x4.mul(share, f32x4.splat(amount)))
            u = f32x4.add(f32x4.splat(cx - 0.5), f32x4.mul(scale, f32x4.splat(dx)))
            v = f32x4.add(f32x4.splat(cy - 0.5), f32x4.mul(scale, f32x4.splat(dy)))
          }
          sum = f32x4.add(sum, four(src, u, v, width))
        }
      for (; s < samples; s++) {
        let u: f32, v: f32
        if (isTurn) {
          const c = cos as f32, n = sin as f32
          u = cx + c * dx - n * dy
          v = cy + n * dx + c * dy
          const next = cos * stepCos - sin * stepSin
          sin = sin * stepCos + cos * stepSin
          cos = next
        } else {
          const share = (((s as f32) + 0.5) / samplesF) * 2 - 1
          u = cx + dx * (1 + amount * share)
          v = cy + dy * (1 + amount * share)
        }
        sum = f32x4.add(sum, between(src, u - 0.5, v - 0.5, width, height))
      }
      v128.store(at, f32x4.mul(sum, f32x4.splat(1 / samplesF)))
    }
}

// @ts-nocheck: AssemblyScript, checked by its own compiler
import { areInside, between, four, held } from './between'
import { thread } from './thread'

@inline
function lineAt(src: usize, x: i32, c: f64, slope: f64, width: i32, height: i32): v128 {
  const y = c + (x as f64) * slope
  const fy = Math.floor(y)
  const iy = fy as i32
  const column = (held(x, width) as usize) << 4
  const stride = (width as usize) << 4
  const a = v128.load(src + (held(iy, height) as usize) * stride + column)
  const b = v128.load(src + (held(iy + 1, height) as usize) * stride + column)
  return f32x4.add(a, f32x4.mul(f32x4.sub(b, a), f32x4.splat((y - fy) as f32)))
}

/** See WaysKernels.boxLines: rows are lines y = first + row + slope · x. A window of `half` pixels to both sides runs along each. */
export function boxLines(
  out: usize, src: usize, slope: f64, first: f64, back: f64, ahead: f64, scratch: usize, scratchBytes: i32, width: i32, height: i32,
  y0: i32, y1: i32,
): void {
  const line = scratch + ((thread * scratchBytes) as usize)
  // Whole pixels of the window, and the shares of those at its ends.
  const before = Math.floor(back + 0.5) as i32, after = Math.floor(ahead + 0.5) as i32
  const beforePart = f32x4.splat((back + 0.5 - (before as f64)) as f32), afterPart = f32x4.splat((ahead + 0.5 - (after as f64)) as f32)
  const scale = f32x4.splat((1 / (back + ahead)) as f32)
  const isNarrow = back + ahead < 1e-6
  for (let row = y0; row < y1; row++) {
    const c = first + (row as f64)
    // Where the line, or its neighbour, runs through the picture.
    let from = 0, to = width
    if (slope != 0) {
      const a = (-3 - c) / slope, b = ((height as f64) + 2 - c) / slope
      from = max<i32>(0, Math.floor(min<f64>(a, b)) as i32)
      to = min<i32>(width, (Math.ceil(max<f64>(a, b)) as i32) + 1)
    }
    if (to <= from) continue
    // From what lies before the first pixel's window to what lies after the last one's, an end pixel more on both sides.
    const begin = from - before - 1, count = to - from + before + after + 2
    // Where the line and its columns need no edge.
    let inFrom = max<i32>(0, -begin), inTo = min<i32>(count, width - begin)
    if (slope != 0) {
      const a = -c / slope, b = ((height - 1) as f64 - c) / slope
      inFrom = max<i32>(inFrom, (Math.ceil(min<f64>(a, b)) as i32) - begin + 1)
      inTo = min<i32>(inTo, (Math.floor(max<f64>(a, b)) as i32) - begin - 1)
    } else if (c < 0 || c >= ((height - 1) as f64)) inTo = 0
    if (inFrom > count) inFrom = count
    for (let i = 0; i < inFrom; i++) v128.store(line + ((i as usize) << 4), lineAt(src, begin + i, c, slope, width, height))
    for (let i = inFrom; i < inTo; i++) {
      const y = c + ((begin + i) as f64) * slope
      const fy = Math.floor(y)
      const at = src + ((((fy as i32) * width + begin + i) as usize) << 4)
      const p = v128.load(at)
      v128.store(line + ((i as usize) << 4), f32x4.add(p, f32x4.mul(f32x4.sub(v128.load(at + ((width as usize) << 4)), p), f32x4.splat((y - fy) as f32))))
    }
    for (let i = max<i32>(inFrom, inTo); i < count; i++) v128.store(line + ((i as usize) << 4), lineAt(src, begin + i, c, slope, width, height))
    const target = out + (((row * width) as usize) << 4)
    let lo = f64x2.splat(0), hi = f64x2.splat(0)
    for (let i = 1; i < before + after; i++) {
      const p = v128.load(line + (((i + 1) as usize) << 4))
      lo = f64x2.add(lo, f64x2.promote_low_f32x4(p))
      hi = f64x2.add(hi, f64x2.promote_low_f32x4(v128.shuffle<i64>(p, p, 1, 1)))
    }
    for (let x = from; x < to; x++) {
      const at = line + (((x - from) as usize) << 4)
      if (isNarrow) {
        v128.store(target + ((x as usize) << 4), v128.load(at + (((before + 1) as usize) << 4)))
        continue
      }
      // Whole pixels from x − before + 1 to x + after − 1; those at the ends have a share.
      const first4 = v128.load(at + 16), last4 = v128.load(at + (((before + after + 1) as usize) << 4))
      const whole = v128.shuffle<f32>(f32x4.demote_f64x2_zero(lo), f32x4.demote_f64x2_zero(hi), 0, 1, 4, 5)
      const ends = before + after == 0
        ? f32x4.mul(first4, f32x4.sub(f32x4.add(beforePart, afterPart), f32x4.splat(1)))
        : f32x4.add(f32x4.mul(first4, beforePart), f32x4.mul(last4, afterPart))
      v128.store(target + ((x as usize) << 4), f32x4.mul(f32x4.add(before + after == 0 ? f32x4.splat(0) : whole, ends), scale))
      if (before + after < 2) continue
      // The window moves on: its first whole pixel goes, its last one comes.
      const gone = v128.load(at + 32), come = v128.load(at + (((before + after + 1) as usize) << 4))
      lo = f64x2.add(lo, f64x2.sub(f64x2.promote_low_f32x4(come), f64x2.promote_low_f32x4(gone)))
      hi = f64x2.add(hi, f64x2.sub(f64x2.promote_low_f32x4(v128.shuffle<i64>(come, come, 1, 1)), f64x2.promote_low_f32x4(v128.shuffle<i64>(gone, gone, 1, 1))))
    }
  }
}

/** See WaysKernels.boxBack: the lines back in the picture, by Catmull–Rom between four of them. */
export function boxBack(out: usize, lines: usize, slope: f64, first: f64, count: i32, width: i32, y0: i32, y1: i32): void {
  const stride = (width as usize) << 4
  for (let y = y0; y < y1; y++)
    for (let x = 0; x < width; x++) {
      const at = (y as f64) - (x as f64) * slope - first
      const whole = min<i32>(count - 3, max<i32>(1, Math.floor(at) as i32))
      const p = lines + (whole as usize) * stride + ((x as usize) << 4)
      const t = (at - (whole as f64)) as f32
      const target = out + (y as usize) * stride + ((x as usize) << 4)
      if (t == 0) {
        v128.store(target, v128.load(p))
        continue
      }
      const w0: f32 = ((-0.5 * t + 1) * t - 0.5) * t, w1: f32 = (1.5 * t - 2.5) * t * t + 1, w3: f32 = (0.5 * t - 0.5) * t * t
      let sum = f32x4.mul(v128.load(p - stride), f32x4.splat(w0))
      sum = f32x4.add(sum, f32x4.mul(v128.load(p), f32x4.splat(w1)))
      sum = f32x4.add(sum, f32x4.mul(v128.load(p + stride), f32x4.splat(1 - w0 - w1 - w3)))
      sum = f32x4.add(sum, f32x4.mul(v128.load(p + 2 * stride), f32x4.splat(w3)))
      v128.store(target, sum)
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

// @ts-nocheck: AssemblyScript, checked by its own compiler
import { areInside, betweenFrom, held } from './between'

// Motion blur of what goes one straight way.

@inline
export function splat0(v: v128): v128 {
  return v128.shuffle<f32>(v, v, 0, 0, 0, 0)
}
@inline
export function splat1(v: v128): v128 {
  return v128.shuffle<f32>(v, v, 1, 1, 1, 1)
}
@inline
export function splat2(v: v128): v128 {
  return v128.shuffle<f32>(v, v, 2, 2, 2, 2)
}
@inline
export function splat3(v: v128): v128 {
  return v128.shuffle<f32>(v, v, 3, 3, 3, 3)
}
@inline
function single(at: usize, aside: usize, part: v128): v128 {
  const p = v128.load(at)
  return f32x4.add(p, f32x4.mul(f32x4.sub(v128.load(at + aside), p), part))
}
/** Two pixels on the way, as far aside as their middle. */
@inline
function double(at: usize, along: usize, aside: usize, part: v128): v128 {
  const p = f32x4.add(v128.load(at), v128.load(at + along))
  const q = f32x4.add(v128.load(at + aside), v128.load(at + aside + along))
  return f32x4.add(p, f32x4.mul(f32x4.sub(q, p), part))
}

/** How much of a pixel on the way counts, and how far open it is in the middle of that. */
@inline
function shareOf(k: v128, low: v128, high: v128, perSpan: v128, peak: v128): v128 {
  const half = f32x4.splat(0.5)
  const left = f32x4.pmax(low, f32x4.sub(k, half)), right = f32x4.pmin(high, f32x4.add(k, half))
  const open = f32x4.abs(f32x4.sub(f32x4.mul(f32x4.sub(f32x4.mul(f32x4.add(left, right), half), low), perSpan), f32x4.splat(1)))
  return f32x4.mul(f32x4.pmax(f32x4.splat(0), f32x4.sub(right, left)), f32x4.sub(f32x4.splat(1), f32x4.mul(open, peak)))
}

@inline
export function sumOf(v: v128): f32 {
  return f32x4.extract_lane(v, 0) + f32x4.extract_lane(v, 1) + f32x4.extract_lane(v, 2) + f32x4.extract_lane(v, 3)
}

/**
 * The mean on a straight way. Steps are whole pixels along the axis that it goes farther on, those at its ends count in part;
 * between them two are taken at once, and one alone where that leaves one.
 */
export function straight(src: usize, x: i32, y: i32, vx: f32, vy: f32, from: f32, to: f32, peak: f32, width: i32, height: i32): v128 {
  const isAcross = abs<f32>(vx) >= abs<f32>(vy)
  const main = isAcross ? vx : vy
  const slope = (isAcross ? vy : vx) / main
  const a = -main * from, b = -main * to
  const low = a < b ? a : b, high = a < b ? b : a
  const begin = ceil<f32>(low - 0.5) as i32, end = floor<f32>(high + 0.5) as i32
  const perSpan: f32 = 2 / (high - low)
  const cx = x as f32, cy = y as f32
  const b0 = begin as f32, e0 = end as f32
  const low4 = f32x4.splat(low), high4 = f32x4.splat(high), peak4 = f32x4.splat(peak), perSpan4 = f32x4.splat(perSpan)
  const isInside = isAcross
    ? areInside(cx + b0, cy + b0 * slope, cx + e0, cy + e0 * slope, width, height)
    : areInside(cx + b0 * slope, cy + b0, cx + e0 * slope, cy + e0, width, height)
  if (!isInside) {
    let sum = f32x4.splat(0)
    let total: f32 = 0
    for (let k = begin; k <= end; k++) {
      const steps = k as f32
      const share = shareOf(f32x4.splat(steps), low4, high4, perSpan4, peak4)
      const colour = isAcross ? betweenFrom(src, x, y, steps, steps * slope, width, height) : betweenFrom(src, x, y, steps * slope, steps, width, height)
      sum = f32x4.add(sum, f32x4.mul(colour, share))
      total += f32x4.extract_lane(share, 0)
    }
    return f32x4.mul(sum, f32x4.splat(1 / total))
  }
  const stride = (width as usize) << 4
  const along: usize = isAcross ? 16 : stride, aside: usize = isAcross ? stride : 16
  const here = src + (((y * width + x) as usize) << 4)
  const slope4 = f32x4.splat(slope), along4 = i32x4.splat(along as i32), aside4 = i32x4.splat(aside as i32)
  const between2 = end - begin - 1
  const pairs = between2 > 0 ? between2 >> 1 : 0
  // The ends, and what is left between pairs; the last lane counts nothing.
  const odd = between2 > 0 && (between2 & 1) ? end - 1 : begin
  const k4 = i32x4(begin, end, odd, begin)
  const kf = f32x4.convert_i32x4_s(k4)
  const counted = f32x4(1, end > begin ? 1 : 0, odd > begin ? 1 : 0, 0)
  const w = f32x4.mul(shareOf(kf, low4, high4, perSpan4, peak4), counted)
  const offset = f32x4.mul(kf, slope4)
  const whole = f32x4.floor(offset)
  const part = f32x4.sub(offset, whole)
  const at = i32x4.add(i32x4.mul(k4, along4), i32x4.mul(i32x4.trunc_sat_f32x4_s(whole), aside4))
  let sum = f32x4.mul(single(here + (i32x4.extract_lane(at, 0) as usize), aside, splat0(part)), splat0(w))
  if (end > begin) {
    sum = f32x4.add(sum, f32x4.mul(single(here + (i32x4.extract_lane(at, 1) as usize), aside, splat1(part)), splat1(w)))
    sum = f32x4.add(sum, f32x4.mul(single(here + (i32x4.extract_lane(at, 2) as usize), aside, splat2(part)), splat2(w)))
  }
  let total = sumOf(w)
  if (pairs > 0) {
    const last = i32x4.splat(begin + 1 + 2 * (pairs - 1))
    let at4 = i32x4.add(i32x4.splat(begin + 1), i32x4(0, 2, 4, 6))
    if (peak == 0) {
      total += (pairs + pairs) as f32
      for (let k = pairs; k > 0; k -= 4) {
        const held4 = i32x4.min_s(at4, last)
        const aslant = f32x4.mul(f32x4.add(f32x4.convert_i32x4_s(held4), f32x4.splat(0.5)), slope4)
        const floored = f32x4.floor(aslant)
        const rest = f32x4.sub(aslant, floored)
        const place = i32x4.add(i32x4.mul(held4, along4), i32x4.mul(i32x4.trunc_sat_f32x4_s(floored), aside4))
        sum = f32x4.add(sum, double(here + (i32x4.extract_lane(place, 0) as usize), along, aside, splat0(rest)))
        if (k > 1) sum = f32x4.add(sum, double(here + (i32x4.extract_lane(place, 1) as usize), along, aside, splat1(rest)))
        if (k > 2) sum = f32x4.add(sum, double(here + (i32x4.extract_lane(place, 2) as usize), along, aside, splat2(rest)))
        if (k > 3) sum = f32x4.add(sum, double(here + (i32x4.extract_lane(place, 3) as usize), along, aside, splat3(rest)))
        at4 = i32x4.add(at4, i32x4.splat(8))
      }
    } else
      for (let k = pairs; k > 0; k -= 4) {
        const held4 = i32x4.min_s(at4, last)
        const middle = f32x4.add(f32x4.convert_i32x4_s(held4), f32x4.splat(0.5))
        const aslant = f32x4.mul(middle, slope4)
        const floored = f32x4.floor(aslant)
        const rest = f32x4.sub(aslant, floored)
        const place = i32x4.add(i32x4.mul(held4, along4), i32x4.mul(i32x4.trunc_sat_f32x4_s(floored), aside4))
        const open = f32x4.abs(f32x4.sub(f32x4.mul(f32x4.sub(middle, low4), perSpan4), f32x4.splat(1)))
        const isCounted = i32x4.le_s(at4, last)
        const weight = v128.and(f32x4.sub(f32x4.splat(1), f32x4.mul(open, peak4)), isCounted)
        sum = f32x4.add(sum, f32x4.mul(double(here + (i32x4.extract_lane(place, 0) as usize), along, aside, splat0(rest)), splat0(weight)))
        sum = f32x4.add(sum, f32x4.mul(double(here + (i32x4.extract_lane(place, 1) as usize), along, aside, splat1(rest)), splat1(weight)))
        sum = f32x4.add(sum, f32x4.mul(double(here + (i32x4.extract_lane(place, 2) as usize), along, aside, splat2(rest)), splat2(weight)))
        sum = f32x4.add(sum, f32x4.mul(double(here + (i32x4.extract_lane(place, 3) as usize), along, aside, splat3(rest)), splat3(weight)))
        total += sumOf(f32x4.add(weight, weight))
        at4 = i32x4.add(at4, i32x4.splat(8))
      }
  }
  return f32x4.mul(sum, f32x4.splat(1 / total))
}

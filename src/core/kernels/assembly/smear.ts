// @ts-nocheck: AssemblyScript, checked by its own compiler
import { areInside, between, held, nearBetween } from './between'
import { thread } from './thread'

/** See SmearKernels.addWeighted: out = a + b · w, by channel; a is 0 where there is none. */
export function addWeighted(out: usize, a: usize, b: usize, wr: f32, wg: f32, wb: f32, wa: f32, width: i32, y0: i32, y1: i32): void {
  const w = f32x4(wr, wg, wb, wa)
  const end = ((y1 * width) as usize) << 4
  for (let i = ((y0 * width) as usize) << 4; i < end; i += 16) {
    const share = f32x4.mul(v128.load(b + i), w)
    v128.store(out + i, a ? f32x4.add(v128.load(a + i), share) : share)
  }
}

/** See SmearKernels.holdWays. */
export function holdWays(out: usize, motion: usize, scale: f32, longest: f32, width: i32, y0: i32, y1: i32): void {
  const end = ((y1 * width) as usize) << 4
  for (let i = ((y0 * width) as usize) << 4; i < end; i += 16) {
    let x = load<f32>(motion + i) * scale, y = load<f32>(motion + i, 4) * scale
    const square = x * x + y * y
    if (!(square < Infinity)) {
      x = 0
      y = 0
    } else if (square > longest * longest) {
      const less = longest / sqrt<f32>(square)
      x *= less
      y *= less
    }
    v128.store(out + i, f32x4(x, y, 0, 0))
  }
}

/** Pixels on a side of a tile. */
const tile = 16
/** Ways of movement that are told apart in one tile. */
const most = 4

/** Two ways of movement are one within this: a pixel over the whole time, or an eighth of their length. */
@inline
function isNear(ax: f32, ay: f32, bx: f32, by: f32, reach: f32): bool {
  const dx = (ax - bx) * reach, dy = (ay - by) * reach
  const far = dx * dx + dy * dy
  if (far <= 1) return true
  return far <= max<f32>(ax * ax + ay * ay, bx * bx + by * by) * reach * reach * 0.015625
}

/** See SmearKernels.tileWays: rows are rows of tiles; each entry is a count, the least and most of x and of y, and up to four ways. */
export function tileWays(out: usize, ways: usize, src: usize, reach: f32, width: i32, height: i32, y0: i32, y1: i32): void {
  const columns = (width + tile - 1) / tile
  for (let ty = y0; ty < y1; ty++)
    for (let tx = 0; tx < columns; tx++) {
      const entry = out + (((ty * columns + tx) * (5 + 2 * most)) as usize) * 4
      let count = 0
      let lowX: f32 = Infinity, highX: f32 = -Infinity, lowY: f32 = Infinity, highY: f32 = -Infinity
      const bottom = min<i32>(height, (ty + 1) * tile), right = min<i32>(width, (tx + 1) * tile)
      for (let y = ty * tile; y < bottom; y++)
        for (let x = tx * tile; x < right; x++) {
          const i = ((y * width + x) as usize) << 4
          // Where nothing is nothing moves.
          if (!v128.any_true(v128.load(src + i))) continue
          const vx = load<f32>(ways + i), vy = load<f32>(ways + i, 4)
          lowX = min<f32>(lowX, vx)
          highX = max<f32>(highX, vx)
          lowY = min<f32>(lowY, vy)
          highY = max<f32>(highY, vy)
          let isKnown = false
          for (let k = 0; k < count; k++) {
            const at = entry + 20 + ((k as usize) << 3)
            if (isNear(vx, vy, load<f32>(at), load<f32>(at, 4), reach)) {
              isKnown = true
              break
            }
          }
          if (isKnown || count == most) continue
          store<f32>(entry + 20 + ((count as usize) << 3), vx)
          store<f32>(entry + 20 + ((count as usize) << 3), vy, 4)
          count++
        }
      if (count == 0) {
        lowX = 0
        highX = 0
        lowY = 0
        highY = 0
      }
      store<f32>(entry, count as f32)
      store<f32>(entry, lowX, 4)
      store<f32>(entry, highX, 8)
      store<f32>(entry, lowY, 12)
      store<f32>(entry, highY, 16)
    }
}

@inline
function splat0(v: v128): v128 {
  return v128.shuffle<f32>(v, v, 0, 0, 0, 0)
}
@inline
function splat1(v: v128): v128 {
  return v128.shuffle<f32>(v, v, 1, 1, 1, 1)
}
@inline
function splat2(v: v128): v128 {
  return v128.shuffle<f32>(v, v, 2, 2, 2, 2)
}
@inline
function splat3(v: v128): v128 {
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

/**
 * The mean on a straight way. Steps are whole pixels along the axis that it goes farther on, those at its ends count in part; in
 * the middle of long ways two are taken at once.
 */
function straight(src: usize, x: i32, y: i32, vx: f32, vy: f32, from: f32, to: f32, peak: f32, width: i32, height: i32): v128 {
  const isAcross = abs<f32>(vx) >= abs<f32>(vy)
  const main = isAcross ? vx : vy
  const slope = (isAcross ? vy : vx) / main
  const a = -main * from, b = -main * to
  const low = a < b ? a : b, high = a < b ? b : a
  const begin = ceil<f32>(low - 0.5) as i32, end = floor<f32>(high + 0.5) as i32
  const perSpan: f32 = 2 / (high - low)
  const cx = x as f32, cy = y as f32
  const b0 = begin as f32, e0 = (end + 4) as f32
  const isInside = isAcross
    ? areInside(cx + b0, cy + b0 * slope, cx + e0, cy + e0 * slope, width, height)
    : areInside(cx + b0 * slope, cy + b0, cx + e0 * slope, cy + e0, width, height)
  let sum = f32x4.splat(0)
  let weights = f32x4.splat(0)
  const stride = (width as usize) << 4
  const along: usize = isAcross ? 16 : stride, aside: usize = isAcross ? stride : 16
  const here = src + (((y * width + x) as usize) << 4)
  const slope4 = f32x4.splat(slope), along4 = i32x4.splat(along as i32), aside4 = i32x4.splat(aside as i32)
  const low4 = f32x4.splat(low), high4 = f32x4.splat(high), half = f32x4.splat(0.5), zero = f32x4.splat(0), one = f32x4.splat(1)
  const peak4 = f32x4.splat(peak), perSpan4 = f32x4.splat(perSpan)
  let k = begin
  while (k <= end) {
    if (k > begin && k + 8 <= end && isInside) {
      const k4 = i32x4.add(i32x4.splat(k), i32x4(0, 2, 4, 6))
      const middle = f32x4.add(f32x4.convert_i32x4_s(k4), half)
      const offset = f32x4.mul(middle, slope4)
      const whole = f32x4.floor(offset)
      const part = f32x4.sub(offset, whole)
      const at = i32x4.add(i32x4.mul(k4, along4), i32x4.mul(i32x4.trunc_sat_f32x4_s(whole), aside4))
      let q0 = double(here + (i32x4.extract_lane(at, 0) as usize), along, aside, splat0(part))
      let q1 = double(here + (i32x4.extract_lane(at, 1) as usize), along, aside, splat1(part))
      let q2 = double(here + (i32x4.extract_lane(at, 2) as usize), along, aside, splat2(part))
      let q3 = double(here + (i32x4.extract_lane(at, 3) as usize), along, aside, splat3(part))
      if (peak != 0) {
        const w = f32x4.sub(one, f32x4.mul(f32x4.abs(f32x4.sub(f32x4.mul(f32x4.sub(middle, low4), perSpan4), one)), peak4))
        q0 = f32x4.mul(q0, splat0(w))
        q1 = f32x4.mul(q1, splat1(w))
        q2 = f32x4.mul(q2, splat2(w))
        q3 = f32x4.mul(q3, splat3(w))
        weights = f32x4.add(weights, f32x4.add(w, w))
      } else weights = f32x4.add(weights, f32x4.splat(2))
      sum = f32x4.add(sum, f32x4.add(f32x4.add(q0, q1), f32x4.add(q2, q3)))
      k += 8
      continue
    }
    const k4 = i32x4.add(i32x4.splat(k), i32x4(0, 1, 2, 3))
    const kf = f32x4.convert_i32x4_s(k4)
    const left = f32x4.pmax(low4, f32x4.sub(kf, half)), right = f32x4.pmin(high4, f32x4.add(kf, half))
    // How much of each pixel counts, and how far open it is in the middle of that.
    const share = f32x4.pmax(zero, f32x4.sub(right, left))
    const open = f32x4.abs(f32x4.sub(f32x4.mul(f32x4.sub(f32x4.mul(f32x4.add(left, right), half), low4), perSpan4), one))
    const w = f32x4.mul(share, f32x4.sub(one, f32x4.mul(open, peak4)))
    weights = f32x4.add(weights, w)
    const offset = f32x4.mul(kf, slope4)
    if (isInside) {
      const whole = f32x4.floor(offset)
      const part = f32x4.sub(offset, whole)
      const at = i32x4.add(i32x4.mul(k4, along4), i32x4.mul(i32x4.trunc_sat_f32x4_s(whole), aside4))
      const q0 = f32x4.mul(single(here + (i32x4.extract_lane(at, 0) as usize), aside, splat0(part)), splat0(w))
      const q1 = f32x4.mul(single(here + (i32x4.extract_lane(at, 1) as usize), aside, splat1(part)), splat1(w))
      const q2 = f32x4.mul(single(here + (i32x4.extract_lane(at, 2) as usize), aside, splat2(part)), splat2(w))
      const q3 = f32x4.mul(single(here + (i32x4.extract_lane(at, 3) as usize), aside, splat3(part)), splat3(w))
      sum = f32x4.add(sum, f32x4.add(f32x4.add(q0, q1), f32x4.add(q2, q3)))
    } else
      for (let q = 0; q < 4; q++) {
        const steps = (k + q) as f32
        const weight = q == 0 ? splat0(w) : q == 1 ? splat1(w) : q == 2 ? splat2(w) : splat3(w)
        const colour = isAcross ? between(src, cx + steps, cy + steps * slope, width, height) : between(src, cx + steps * slope, cy + steps, width, height)
        sum = f32x4.add(sum, f32x4.mul(colour, weight))
      }
    k += 4
  }
  const total = f32x4.extract_lane(weights, 0) + f32x4.extract_lane(weights, 1) + f32x4.extract_lane(weights, 2) + f32x4.extract_lane(weights, 3)
  return f32x4.mul(sum, f32x4.splat(1 / total))
}

/** The pixel under a place; beyond the edge the nearest. */
@inline
function under(u: f32, v: f32, width: i32, height: i32): usize {
  return (held(floor<f32>(v) as i32, height) * width + held(floor<f32>(u) as i32, width)) as usize
}

/** Surfaces that are told apart at one moment. */
const layers = 8

/** See SmearKernels.smear. `lists` has for each tile where its ways begin, how many there are, and whether all go nearly one way. */
export function smear(
  out: usize, src: usize, ways: usize, depth: usize, lists: usize, listed: usize, from: f32, to: f32, peak: f32, scratch: usize,
  width: i32, height: i32, y0: i32, y1: i32,
): void {
  // A place (8 bytes) and a depth for each surface, in rows of this thread's own.
  const places = scratch + ((thread * layers * 12) as usize), depths = places + layers * 8
  const columns = (width + tile - 1) / tile
  const reach = max<f32>(abs<f32>(from), abs<f32>(to))
  // In strips, so that what lies above and below stays in the cache.
  for (let x0 = 0; x0 < width; x0 += 64)
  for (let y = y0; y < y1; y++)
    for (let x = x0; x < min<i32>(width, x0 + 64); x++) {
      const i = (y * width + x) as usize
      const list = lists + (((y / tile) * columns + x / tile) as usize) * 12
      const first = load<i32>(list), count = load<i32>(list, 4), isSimple = load<i32>(list, 8)
      const px = (x as f32) + 0.5, py = (y as f32) + 0.5
      let ownX = load<f32>(ways + (i << 4)), ownY = load<f32>(ways + (i << 4), 4)
      if (isSimple) {
        // Nothing has no way of its own.
        if (count > 0 && !v128.any_true(v128.load(src + (i << 4)))) {
          ownX = load<f32>(listed + ((first as usize) << 3))
          ownY = load<f32>(listed + ((first as usize) << 3), 4)
        }
        const span = max<f32>(abs<f32>(ownX), abs<f32>(ownY)) * (to - from)
        const isStill = count == 0 || span < 0.02
        v128.store(out + (i << 4), isStill ? v128.load(src + (i << 4)) : straight(src, x, y, ownX, ownY, from, to, peak, width, height))
        continue
      }
      let far: f32 = ownX * ownX + ownY * ownY
      let isListed = false
      for (let k = 0; k < count; k++) {
        const at = listed + (((first + k) as usize) << 3)
        const vx = load<f32>(at), vy = load<f32>(at, 4)
        far = max<f32>(far, vx * vx + vy * vy)
        if (isNear(vx, vy, ownX, ownY, reach)) isListed = true
      }
      const span = sqrt<f32>(far) * (to - from)
      // Nothing moves by a fiftieth of a pixel: as it is, to the bit.
      if (span < 0.02) {
        v128.store(out + (i << 4), v128.load(src + (i << 4)))
        continue
      }
      const samples = max<i32>(4, min<i32>(256, ceil<f32>(span * 0.85) as i32))
      const tries = isListed ? count : count + 1
      let sum = f32x4.splat(0)
      let weights: f32 = 0
      for (let s = 0; s < samples; s++) {
        const share = ((s as f32) + 0.5) / (samples as f32)
        const weight: f32 = 1 - peak * abs<f32>(2 * share - 1)
        weights += weight
        const t = from + (to - from) * share
        let found = 0
        let pixel = f32x4.splat(0)
        // What lies behind where nothing comes to be here: at worst the slowest of what was met.
        let spareU: f32 = px, spareV: f32 = py, spareSpeed: f32 = 3.4e38
        for (let k = 0; k < tries; k++) {
          let vx = ownX, vy = ownY
          if (k < count) {
            const at = listed + (((first + k) as usize) << 3)
            vx = load<f32>(at)
            vy = load<f32>(at, 4)
          }
          let u = px - vx * t, v = py - vy * t
          let j = under(u, v, width, height)
          let mx = load<f32>(ways + (j << 4)), my = load<f32>(ways + (j << 4), 4)
          let ex = (mx - vx) * t, ey = (my - vy) * t
          let off = ex * ex + ey * ey
          if (off > 1e-4) {
            // Its neighbour may move a little otherwise: once more from there.
            const u1 = px - mx * t, v1 = py - my * t
            const j1 = under(u1, v1, width, height)
            const nx = load<f32>(ways + (j1 << 4)), ny = load<f32>(ways + (j1 << 4), 4)
            ex = (nx - mx) * t
            ey = (ny - my) * t
            if (ex * ex + ey * ey < off) {
              u = u1
              v = v1
              j = j1
              off = ex * ex + ey * ey
              mx = nx
              my = ny
            }
          }
          const z: f32 = depth ? load<f32>(depth + (j << 2)) : -(mx * mx + my * my)
          if (off > 1) {
            if (mx * mx + my * my < spareSpeed) {
              spareSpeed = mx * mx + my * my
              spareU = u
              spareV = v
            }
            continue
          }
          if (!depth) {
            // The faster in front, as the ways of a tile are ordered: laid under what is there already.
            if (found == 1 && abs<f32>(u - load<f32>(places)) + abs<f32>(v - load<f32>(places, 4)) < 0.5) continue
            const open: f32 = 1 - min<f32>(1, max<f32>(0, f32x4.extract_lane(pixel, 3)))
            pixel = f32x4.add(pixel, f32x4.mul(nearBetween(src, u - 0.5, v - 0.5, width, height), f32x4.splat(open)))
            found = 1
            store<f32>(places, u)
            store<f32>(places, v, 4)
            if (f32x4.extract_lane(pixel, 3) >= 1) break
            continue
          }
          let isKnown = false
          for (let q = 0; q < found; q++) {
            const du = load<f32>(places + ((q as usize) << 3)) - u, dv = load<f32>(places + ((q as usize) << 3), 4) - v
            if (du * du + dv * dv < 0.25) {
              isKnown = true
              break
            }
          }
          if (isKnown || found == layers) continue
          // Near ones first.
          let q = found
          for (; q > 0 && load<f32>(depths + (((q - 1) as usize) << 2)) > z; q--) {
            store<f32>(depths + ((q as usize) << 2), load<f32>(depths + (((q - 1) as usize) << 2)))
            store<u64>(places + ((q as usize) << 3), load<u64>(places + (((q - 1) as usize) << 3)))
          }
          store<f32>(depths + ((q as usize) << 2), z)
          store<f32>(places + ((q as usize) << 3), u)
          store<f32>(places + ((q as usize) << 3), v, 4)
          found++
        }
        if (found == 0) {
          // Farther and farther along the ways that were tried, until something stands still there.
          let isMet = spareSpeed * t * t <= 1
          for (let m: f32 = 1.5; m <= 4 && !isMet; m *= 1.4)
            for (let k = 0; k < tries && !isMet; k++) {
              let vx = ownX, vy = ownY
              if (k < count) {
                const at = listed + (((first + k) as usize) << 3)
                vx = load<f32>(at)
                vy = load<f32>(at, 4)
              }
              const u = px - vx * t * m, v = py - vy * t * m
              const j = under(u, v, width, height)
              const mx = load<f32>(ways + (j << 4)) * t, my = load<f32>(ways + (j << 4), 4) * t
              if (mx * mx + my * my <= 1 || !v128.any_true(v128.load(src + (j << 4)))) {
                isMet = true
                spareU = u
                spareV = v
              }
            }
          pixel = between(src, spareU - 0.5, spareV - 0.5, width, height)
        }
        for (let q = 0; depth && q < found; q++) {
          const open: f32 = 1 - min<f32>(1, max<f32>(0, f32x4.extract_lane(pixel, 3)))
          if (open <= 0) break
          const here = nearBetween(src, load<f32>(places + ((q as usize) << 3)) - 0.5, load<f32>(places + ((q as usize) << 3), 4) - 0.5, width, height)
          pixel = f32x4.add(pixel, f32x4.mul(here, f32x4.splat(open)))
        }
        sum = f32x4.add(sum, f32x4.mul(pixel, f32x4.splat(weight)))
      }
      v128.store(out + (i << 4), f32x4.mul(sum, f32x4.splat(1 / weights)))
    }
}

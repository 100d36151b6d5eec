// @ts-nocheck: AssemblyScript, checked by its own compiler
import { betweenFrom, fourInsideFrom, held, nearBetweenFrom, pixel4 } from './between'
import { splat0, splat1, splat2, splat3, straight, sumOf } from './straight'
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
      const bottom = min<i32>(height, (ty + 1) * tile), right = min<i32>(width, (tx + 1) * tile)
      let first: usize = 0
      let low = f32x4.splat(Infinity), high = f32x4.splat(-Infinity)
      for (let y = ty * tile; y < bottom; y++) {
        const begin = ((y * width + tx * tile) as usize) << 4, end = ((y * width + right) as usize) << 4
        for (let i = begin; i < end; i += 16) {
          // Where nothing is nothing moves.
          if (!v128.any_true(v128.load(src + i))) continue
          const way = v128.load(ways + i)
          if (!first) first = ways + i
          low = f32x4.pmin(low, way)
          high = f32x4.pmax(high, way)
        }
      }
      let count = 0
      if (first) {
        const across = f32x4.extract_lane(high, 0) - f32x4.extract_lane(low, 0), down = f32x4.extract_lane(high, 1) - f32x4.extract_lane(low, 1)
        store<u64>(entry + 20, load<u64>(first))
        count = 1
        // All of them are one way where even the range is narrow.
        if ((across * across + down * down) * reach * reach > 1)
          for (let y = ty * tile; y < bottom; y++)
            for (let x = tx * tile; x < right; x++) {
              const i = ((y * width + x) as usize) << 4
              if (count == most || !v128.any_true(v128.load(src + i))) continue
              const vx = load<f32>(ways + i), vy = load<f32>(ways + i, 4)
              let isKnown = false
              for (let k = 0; k < count && !isKnown; k++) {
                const at = entry + 20 + ((k as usize) << 3)
                isKnown = isNear(vx, vy, load<f32>(at), load<f32>(at, 4), reach)
              }
              if (isKnown) continue
              store<f32>(entry + 20 + ((count as usize) << 3), vx)
              store<f32>(entry + 20 + ((count as usize) << 3), vy, 4)
              count++
            }
      } else {
        low = f32x4.splat(0)
        high = low
      }
      store<f32>(entry, count as f32)
      store<f32>(entry, f32x4.extract_lane(low, 0), 4)
      store<f32>(entry, f32x4.extract_lane(high, 0), 8)
      store<f32>(entry, f32x4.extract_lane(low, 1), 12)
      store<f32>(entry, f32x4.extract_lane(high, 1), 16)
    }
}

/** The pixel under a place counted from one; beyond the edge the nearest. */
@inline
function underFrom(x: i32, y: i32, u: f32, v: f32, width: i32, height: i32): usize {
  return (held(y + (floor<f32>(v) as i32), height) * width + held(x + (floor<f32>(u) as i32), width)) as usize
}

/** The pixels under four places counted from one, as numbers below 2²³. */
@inline
function under4(x: i32, y: i32, u: v128, v: v128, width: i32, height: i32): v128 {
  const zero = f32x4.splat(0), whole = f32x4.splat(8388608), bits = i32x4.splat(0x7fffff)
  const column = f32x4.pmin(f32x4.pmax(f32x4.add(f32x4.splat(x as f32), f32x4.floor(u)), zero), f32x4.splat((width - 1) as f32))
  const row = f32x4.pmin(f32x4.pmax(f32x4.add(f32x4.splat(y as f32), f32x4.floor(v)), zero), f32x4.splat((height - 1) as f32))
  return i32x4.add(i32x4.mul(v128.and(f32x4.add(row, whole), bits), i32x4.splat(width)), v128.and(f32x4.add(column, whole), bits))
}

/** The ways of two pixels: x, x, y, y. */
@inline
function ways2(ways: usize, a: i32, b: i32): v128 {
  const p = v128.load64_zero(ways + ((a as usize) << 4)), q = v128.load64_zero(ways + ((b as usize) << 4))
  return v128.shuffle<f32>(p, q, 0, 4, 1, 5)
}

@inline
function square(x: v128, y: v128): v128 {
  return f32x4.add(f32x4.mul(x, x), f32x4.mul(y, y))
}

/** Surfaces that are told apart at one moment. */
const layers = 8
/** Bytes of one thread: four colours, their places, and for each of four moments the places and depths of surfaces. */
const ownBytes = 128 + 4 * layers * 12

/** What is over a colour that is there already lies under it. */
@inline
function under1(pixel: v128, other: v128): v128 {
  const open: f32 = 1 - min<f32>(1, max<f32>(0, f32x4.extract_lane(pixel, 3)))
  return f32x4.add(pixel, f32x4.mul(other, f32x4.splat(open)))
}

/** See SmearKernels.smear. `lists` has for each tile where its ways begin, how many there are, and whether all go nearly one way. */
export function smear(
  out: usize, src: usize, ways: usize, depth: usize, lists: usize, listed: usize, from: f32, to: f32, peak: f32, scratch: usize,
  width: i32, height: i32, y0: i32, y1: i32,
): void {
  const own = scratch + ((thread * ownBytes) as usize)
  const columns = (width + tile - 1) / tile
  const reach = max<f32>(abs<f32>(from), abs<f32>(to))
  // In strips, so that what lies above and below stays in the cache.
  for (let x0 = 0; x0 < width; x0 += 64)
  for (let y = y0; y < y1; y++)
    for (let x = x0; x < min<i32>(width, x0 + 64); x++) {
      const i = (y * width + x) as usize
      const list = lists + (((y / tile) * columns + x / tile) as usize) * 12
      const first = listed + ((load<i32>(list) as usize) << 3), count = load<i32>(list, 4), isSimple = load<i32>(list, 8)
      let ownX = load<f32>(ways + (i << 4)), ownY = load<f32>(ways + (i << 4), 4)
      if (isSimple) {
        // Nothing has no way of its own.
        if (count > 0 && !v128.any_true(v128.load(src + (i << 4)))) {
          ownX = load<f32>(first)
          ownY = load<f32>(first, 4)
        }
        const span = max<f32>(abs<f32>(ownX), abs<f32>(ownY)) * (to - from)
        const isStill = count == 0 || span < 0.02
        v128.store(out + (i << 4), isStill ? v128.load(src + (i << 4)) : straight(src, x, y, ownX, ownY, from, to, peak, width, height))
        continue
      }
      v128.store(out + (i << 4), crossing(src, ways, depth, first, count, x, y, ownX, ownY, from, to, peak, reach, own, width, height))
    }
}

/** What a pixel shows on the mean where ways cross: at each moment what comes to be there, four moments at a time. */
function crossing(
  src: usize, ways: usize, depth: usize, first: usize, count: i32, x: i32, y: i32, ownX: f32, ownY: f32, from: f32, to: f32, peak: f32, reach: f32,
  own: usize, width: i32, height: i32,
): v128 {
  const pixels = own, us = own + 64, vs = own + 80, zs = own + 96, places = own + 128, depths = places + 4 * layers * 8
  let far: f32 = ownX * ownX + ownY * ownY
  let isListed = false
  for (let k = 0; k < count; k++) {
    const at = first + ((k as usize) << 3)
    const vx = load<f32>(at), vy = load<f32>(at, 4)
    far = max<f32>(far, vx * vx + vy * vy)
    if (isNear(vx, vy, ownX, ownY, reach)) isListed = true
  }
  const span = sqrt<f32>(far) * (to - from)
  // Nothing moves by a fiftieth of a pixel: as it is, to the bit.
  if (span < 0.02) return v128.load(src + (((y * width + x) as usize) << 4))
  const samples = max<i32>(4, min<i32>(256, ceil<f32>(span * 0.85) as i32))
  const tries = isListed ? count : count + 1
  // All places count from the corner of this pixel, so that they are as exact wherever it is.
  const px = f32x4.splat(0.5), py = px
  const zero = f32x4.splat(0), one = f32x4.splat(1), half = f32x4.splat(0.5)
  const stride = (width as usize) << 4
  let sum = zero
  let weights: f32 = 0
  for (let s = 0; s < samples; s += 4) {
    const lanes = min<i32>(4, samples - s)
    const all = (1 << lanes) - 1
    const share = f32x4.mul(f32x4.add(f32x4.splat((s as f32) + 0.5), f32x4(0, 1, 2, 3)), f32x4.splat(1 / (samples as f32)))
    const t = f32x4.add(f32x4.splat(from), f32x4.mul(f32x4.splat(to - from), share))
    const weight = f32x4.sub(one, f32x4.mul(f32x4.splat(peak), f32x4.abs(f32x4.sub(f32x4.add(share, share), one))))
    v128.store(pixels, zero)
    v128.store(pixels + 16, zero)
    v128.store(pixels + 32, zero)
    v128.store(pixels + 48, zero)
    // What lies behind where nothing comes to be here: at worst the slowest of what was met.
    let spareU = px, spareV = py, spareSpeed = f32x4.splat(3.4e38)
    let lastU = zero, lastV = zero
    let isFound = zero
    // Moments of which no more can be seen; how many surfaces each of four moments has, a byte each.
    let done = 0
    let found: u32 = 0
    let isWhole = false
    for (let k = 0; k < tries; k++) {
      const at = first + ((k as usize) << 3)
      const vx = f32x4.splat(k < count ? load<f32>(at) : ownX), vy = f32x4.splat(k < count ? load<f32>(at, 4) : ownY)
      let u = f32x4.sub(px, f32x4.mul(vx, t)), v = f32x4.sub(py, f32x4.mul(vy, t))
      let j = under4(x, y, u, v, width, height)
      let a = ways2(ways, i32x4.extract_lane(j, 0), i32x4.extract_lane(j, 1)), b = ways2(ways, i32x4.extract_lane(j, 2), i32x4.extract_lane(j, 3))
      let mx = v128.shuffle<f32>(a, b, 0, 1, 4, 5), my = v128.shuffle<f32>(a, b, 2, 3, 6, 7)
      let off = square(f32x4.mul(f32x4.sub(mx, vx), t), f32x4.mul(f32x4.sub(my, vy), t))
      const isOff = f32x4.gt(off, f32x4.splat(1e-4))
      if (v128.any_true(isOff)) {
        // Its neighbour may move a little otherwise: once more from there.
        const u1 = f32x4.sub(px, f32x4.mul(mx, t)), v1 = f32x4.sub(py, f32x4.mul(my, t))
        const j1 = under4(x, y, u1, v1, width, height)
        a = ways2(ways, i32x4.extract_lane(j1, 0), i32x4.extract_lane(j1, 1))
        b = ways2(ways, i32x4.extract_lane(j1, 2), i32x4.extract_lane(j1, 3))
        const nx = v128.shuffle<f32>(a, b, 0, 1, 4, 5), ny = v128.shuffle<f32>(a, b, 2, 3, 6, 7)
        const again = square(f32x4.mul(f32x4.sub(nx, mx), t), f32x4.mul(f32x4.sub(ny, my), t))
        const better = v128.and(isOff, f32x4.lt(again, off))
        u = v128.bitselect(u1, u, better)
        v = v128.bitselect(v1, v, better)
        j = v128.bitselect(j1, j, better)
        mx = v128.bitselect(nx, mx, better)
        my = v128.bitselect(ny, my, better)
        off = v128.bitselect(again, off, better)
      }
      const isHere = f32x4.le(off, one)
      const speed = square(mx, my)
      const isSpare = v128.andnot(f32x4.lt(speed, spareSpeed), isHere)
      spareU = v128.bitselect(u, spareU, isSpare)
      spareV = v128.bitselect(v, spareV, isSpare)
      spareSpeed = v128.bitselect(speed, spareSpeed, isSpare)
      if (!depth) {
        // The faster in front, as the ways of a tile are ordered: laid under what is there already.
        const aside = f32x4.add(f32x4.abs(f32x4.sub(u, lastU)), f32x4.abs(f32x4.sub(v, lastV)))
        const isKnown = v128.and(isFound, f32x4.lt(aside, f32x4.splat(0.5)))
        const isNew = v128.andnot(isHere, isKnown)
        const fresh = i32x4.bitmask(isNew) & all & ~done
        if (fresh == 0) continue
        const u0 = f32x4.sub(u, half), v0 = f32x4.sub(v, half)
        if (fresh == 15 && !v128.any_true(isFound) && fourInsideFrom(x, y, u0, v0, width, height)) {
          // Most of what is seen is one surface that hides all others, at each of four moments.
          const column = f32x4.floor(u0), row = f32x4.floor(v0)
          const fx = f32x4.sub(u0, column), fy = f32x4.sub(v0, row)
          const own4 = i32x4.splat(y * width + x)
          const at = i32x4.shl(i32x4.add(own4, i32x4.add(i32x4.mul(i32x4.trunc_sat_f32x4_s(row), i32x4.splat(width)), i32x4.trunc_sat_f32x4_s(column))), 4)
          const p0 = pixel4(src + (i32x4.extract_lane(at, 0) as usize), stride, splat0(fx), splat0(fy)), p1 = pixel4(src + (i32x4.extract_lane(at, 1) as usize), stride, splat1(fx), splat1(fy))
          const p2 = pixel4(src + (i32x4.extract_lane(at, 2) as usize), stride, splat2(fx), splat2(fy)), p3 = pixel4(src + (i32x4.extract_lane(at, 3) as usize), stride, splat3(fx), splat3(fy))
          const least = f32x4.pmin(f32x4.pmin(p0, p1), f32x4.pmin(p2, p3))
          if (f32x4.extract_lane(least, 3) >= 1) {
            sum = f32x4.add(sum, f32x4.add(f32x4.add(f32x4.mul(p0, splat0(weight)), f32x4.mul(p1, splat1(weight))), f32x4.add(f32x4.mul(p2, splat2(weight)), f32x4.mul(p3, splat3(weight)))))
            weights += sumOf(weight)
            isWhole = true
            break
          }
          v128.store(pixels, p0)
          v128.store(pixels + 16, p1)
          v128.store(pixels + 32, p2)
          v128.store(pixels + 48, p3)
          done = i32x4.bitmask(f32x4.ge(f32x4(f32x4.extract_lane(p0, 3), f32x4.extract_lane(p1, 3), f32x4.extract_lane(p2, 3), f32x4.extract_lane(p3, 3)), one))
          lastU = u
          lastV = v
          isFound = isNew
          continue
        }
        v128.store(us, u)
        v128.store(vs, v)
        for (let lane = 0; lane < lanes; lane++) {
          if (!((fresh >> lane) & 1)) continue
          const held = pixels + ((lane as usize) << 4), place = (lane as usize) << 2
          const there = nearBetweenFrom(src, x, y, load<f32>(us + place) - 0.5, load<f32>(vs + place) - 0.5, width, height)
          const pixel = under1(v128.load(held), there)
          v128.store(held, pixel)
          if (f32x4.extract_lane(pixel, 3) >= 1) done |= 1 << lane
        }
        lastU = v128.bitselect(u, lastU, isNew)
        lastV = v128.bitselect(v, lastV, isNew)
        isFound = v128.or(isFound, isNew)
        if (done == all) break
        continue
      }
      const here = i32x4.bitmask(isHere) & all
      if (here == 0) continue
      v128.store(us, u)
      v128.store(vs, v)
      v128.store(zs, j)
      for (let lane = 0; lane < lanes; lane++)
        if ((here >> lane) & 1) {
          const place = (lane as usize) << 2
          const z = load<f32>(depth + ((load<i32>(zs + place) as usize) << 2))
          const taken = (found >> (lane << 3)) & 255
          const is = addLayer(places + ((lane * layers * 8) as usize), depths + ((lane * layers * 4) as usize), taken, load<f32>(us + place), load<f32>(vs + place), z)
          if (is) found += 1 << (lane << 3)
        }
    }
    if (isWhole) continue
    const hit = depth ? 0 : i32x4.bitmask(isFound)
    v128.store(us, spareU)
    v128.store(vs, spareV)
    v128.store(zs, f32x4.mul(spareSpeed, f32x4.mul(t, t)))
    for (let lane = 0; lane < lanes; lane++) {
      const place = (lane as usize) << 2
      const met = depth ? (found >> (lane << 3)) & 255 : (hit >> lane) & 1
      let pixel = v128.load(pixels + ((lane as usize) << 4))
      if (met == 0) {
        const moment: f32 = from + (to - from) * (((s + lane) as f32) + 0.5) / (samples as f32)
        pixel = behind(src, ways, first, count, tries, x, y, ownX, ownY, moment, load<f32>(us + place), load<f32>(vs + place), load<f32>(zs + place), width, height)
      } else if (depth)
        for (let q: u32 = 0; q < met; q++) {
          if (f32x4.extract_lane(pixel, 3) >= 1) break
          const at = places + ((lane * layers * 8) as usize) + ((q as usize) << 3)
          pixel = under1(pixel, nearBetweenFrom(src, x, y, load<f32>(at) - 0.5, load<f32>(at, 4) - 0.5, width, height))
        }
      const share1: f32 = lane == 0 ? f32x4.extract_lane(weight, 0) : lane == 1 ? f32x4.extract_lane(weight, 1) : lane == 2 ? f32x4.extract_lane(weight, 2) : f32x4.extract_lane(weight, 3)
      weights += share1
      sum = f32x4.add(sum, f32x4.mul(pixel, f32x4.splat(share1)))
    }
  }
  return f32x4.mul(sum, f32x4.splat(1 / weights))
}

/** Puts a surface among those of a moment, near ones first; false where it is known or there are too many. */
function addLayer(places: usize, depths: usize, found: u32, u: f32, v: f32, z: f32): bool {
  for (let q: u32 = 0; q < found; q++) {
    const du = load<f32>(places + ((q as usize) << 3)) - u, dv = load<f32>(places + ((q as usize) << 3), 4) - v
    if (du * du + dv * dv < 0.25) return false
  }
  if (found == layers) return false
  let q = found as i32
  for (; q > 0 && load<f32>(depths + (((q - 1) as usize) << 2)) > z; q--) {
    store<f32>(depths + ((q as usize) << 2), load<f32>(depths + (((q - 1) as usize) << 2)))
    store<u64>(places + ((q as usize) << 3), load<u64>(places + (((q - 1) as usize) << 3)))
  }
  store<f32>(depths + ((q as usize) << 2), z)
  store<f32>(places + ((q as usize) << 3), u)
  store<f32>(places + ((q as usize) << 3), v, 4)
  return true
}

/** What is seen where nothing comes to be: farther and farther along the ways that were tried, until something stands still there. */
function behind(
  src: usize, ways: usize, first: usize, count: i32, tries: i32, x: i32, y: i32, ownX: f32, ownY: f32, t: f32, u: f32, v: f32, moved: f32, width: i32,
  height: i32,
): v128 {
  let isMet = moved <= 1
  for (let m: f32 = 1.5; m <= 4 && !isMet; m *= 1.4)
    for (let k = 0; k < tries && !isMet; k++) {
      const at = first + ((k as usize) << 3)
      const vx = k < count ? load<f32>(at) : ownX, vy = k < count ? load<f32>(at, 4) : ownY
      const u1: f32 = 0.5 - vx * t * m, v1: f32 = 0.5 - vy * t * m
      const j = underFrom(x, y, u1, v1, width, height)
      const mx = load<f32>(ways + (j << 4)) * t, my = load<f32>(ways + (j << 4), 4) * t
      if (mx * mx + my * my <= 1 || !v128.any_true(v128.load(src + (j << 4)))) {
        isMet = true
        u = u1
        v = v1
      }
    }
  return betweenFrom(src, x, y, u - 0.5, v - 0.5, width, height)
}

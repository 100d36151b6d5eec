// @ts-nocheck: AssemblyScript, checked by its own compiler
import { areInside, between, fourWeighed } from './between'
import { leastCover, mixedBits, powx4 } from './maths'
import { thread } from './thread'

/** Steps of a table of how far the picture goes, over the distance from the centre. */
const fringeSteps = 2048

/**
 * See LensKernels.fringe. Waves by fours: how far four of them go outwards, then the share of red, green, blue and alpha of each; their number is
 * a multiple of four. `far` is as far as a pixel lies from the centre.
 */
export function fringe(
  out: usize, src: usize, waves: usize, fours: i32, cx: f32, cy: f32, amount: f32, corner: f32, growth: f32, far: f32, most: f32, scratch: usize,
  width: i32, height: i32, y0: i32, y1: i32,
): void {
  // way(r) / r = amount · (r / corner)^growth / r, which is 0 at 0 for growths above 1.
  const table = scratch + ((thread * (fringeSteps + 4)) as usize) * 4
  const step = far / (fringeSteps as f32)
  for (let k = 0; k < fringeSteps + 4; k += 4) {
    const r = f32x4.mul(f32x4.add(f32x4.splat(k as f32), f32x4(0, 1, 2, 3)), f32x4.splat(step / corner))
    const power = growth == 1 ? f32x4.splat(1) : powx4(r, f32x4.splat(growth - 1))
    v128.store(table + ((k as usize) << 2), f32x4.mul(power, f32x4.splat(amount / corner)))
  }
  const perStep: f32 = 1 / step
  for (let y = y0; y < y1; y++)
    for (let x = 0; x < width; x++) {
      const dx = (x as f32) + 0.5 - cx, dy = (y as f32) + 0.5 - cy
      const place = sqrt<f32>(dx * dx + dy * dy) * perStep
      const whole = min<f32>(floor<f32>(place), (fringeSteps - 1) as f32)
      const entry = table + ((whole as i32 as usize) << 2)
      const before = load<f32>(entry)
      const way = before + (load<f32>(entry, 4) - before) * (place - whole)
      const wx = dx * way, wy = dy * way
      const px = x as f32, py = y as f32
      const reachX = abs<f32>(wx) * most, reachY = abs<f32>(wy) * most
      const isInside = areInside(px - reachX, py - reachY, px + reachX, py + reachY, width, height)
      let sum = f32x4.splat(0)
      for (let k = 0; k < fours; k++) {
        const wave = waves + ((k * 80) as usize)
        if (isInside) {
          const s = v128.load(wave)
          const u = f32x4.sub(f32x4.splat(px), f32x4.mul(f32x4.splat(wx), s)), v = f32x4.sub(f32x4.splat(py), f32x4.mul(f32x4.splat(wy), s))
          sum = f32x4.add(sum, fourWeighed(src, u, v, width, wave + 16, 16))
        } else
          for (let q = 0; q < 4; q++) {
            const s = load<f32>(wave + ((q as usize) << 2))
            const here = between(src, px - wx * s, py - wy * s, width, height)
            sum = f32x4.add(sum, f32x4.mul(here, v128.load(wave + 16 + ((q as usize) << 4))))
          }
      }
      v128.store(out + (((y * width + x) as usize) << 4), sum)
    }
}

/** How much four pixels keep: by the fourth power of the cosine, else by an oval that softens. */
@inline
function keptBy(q: v128, isNatural: i32, from: f32, perWay: f32): v128 {
  const one = f32x4.splat(1)
  if (isNatural) {
    const cos2 = f32x4.div(one, f32x4.add(one, q))
    return f32x4.mul(cos2, cos2)
  }
  const t = f32x4.pmin(one, f32x4.pmax(f32x4.splat(0), f32x4.mul(f32x4.sub(f32x4.sqrt(q), f32x4.splat(from)), f32x4.splat(perWay))))
  return f32x4.sub(one, f32x4.mul(f32x4.mul(t, t), f32x4.sub(f32x4.splat(3), f32x4.add(t, t))))
}

/** A pixel of which so much is kept; what is not takes the colour, as much as the pixel covers. */
@inline
function fade(out: usize, src: usize, kept: v128, colour: v128): void {
  const p = v128.load(src)
  const cover = v128.shuffle<f32>(p, p, 3, 3, 3, 3)
  const rest = f32x4.mul(cover, f32x4.sub(f32x4.splat(1), kept))
  const faded = f32x4.add(f32x4.mul(p, kept), f32x4.mul(colour, rest))
  v128.store(out, v128.shuffle<f32>(faded, p, 0, 1, 2, 7))
}

/** See LensKernels.vignette. */
export function vignette(
  out: usize, src: usize, isNatural: i32, cx: f32, cy: f32, perX: f32, perY: f32, from: f32, to: f32, r: f32, g: f32, b: f32, width: i32,
  y0: i32, y1: i32,
): void {
  const colour = f32x4(r, g, b, 0)
  // An edge without width goes over within less than a float tells apart.
  const perWay: f32 = to > from ? 1 / (to - from) : 1e30
  const way = f32x4.splat(perX)
  for (let y = y0; y < y1; y++) {
    const dy = ((y as f32) + 0.5 - cy) * perY
    const dy2 = f32x4.splat(dy * dy)
    for (let x = 0; x < width; x += 4) {
      const dx = f32x4.mul(f32x4.sub(f32x4.add(f32x4.splat(x as f32), f32x4(0.5, 1.5, 2.5, 3.5)), f32x4.splat(cx)), way)
      const kept = keptBy(f32x4.add(f32x4.mul(dx, dx), dy2), isNatural, from, perWay)
      const at = ((y * width + x) as usize) << 4
      fade(out + at, src + at, v128.shuffle<f32>(kept, kept, 0, 0, 0, 0), colour)
      if (x + 1 < width) fade(out + at + 16, src + at + 16, v128.shuffle<f32>(kept, kept, 1, 1, 1, 1), colour)
      if (x + 2 < width) fade(out + at + 32, src + at + 32, v128.shuffle<f32>(kept, kept, 2, 2, 2, 2), colour)
      if (x + 3 < width) fade(out + at + 48, src + at + 48, v128.shuffle<f32>(kept, kept, 3, 3, 3, 3), colour)
    }
  }
}

/** See LensKernels.sharpen. */
export function sharpen(
  out: usize, src: usize, soft: usize, amount: f32, threshold: f32, width: i32, y0: i32, y1: i32,
): void {
  const end = ((y1 * width) as usize) << 4
  const gain = f32x4.splat(amount), least = f32x4.splat(threshold), zero = f32x4.splat(0)
  for (let i = ((y0 * width) as usize) << 4; i < end; i += 16) {
    const p = v128.load(src + i)
    const apart = f32x4.sub(p, v128.load(soft + i))
    // What is below the threshold is not sharpened, and what is above only by what it is above.
    const size = f32x4.pmax(zero, f32x4.sub(f32x4.abs(apart), least))
    const signed = v128.or(size, v128.and(apart, i32x4.splat(0x80000000)))
    const made = f32x4.add(p, f32x4.mul(gain, signed))
    // No halo goes below nothing, but what was there below it stays.
    const kept = f32x4.max(made, f32x4.min(p, zero))
    v128.store(out + i, f32x4.replace_lane(kept, 3, f32x4.extract_lane(p, 3)))
  }
}

// Loaded in the loop, where written out they would be made anew each time; see maths.ts.
const hashes = memory.data<i32>([0x85ebca6b, 0xc2b2ae35, 0x85ebca77, 0x00ff00ff, 0xffff])

/** Noise of variance 1 of a place: the sum of the four bytes of a hash. */
@inline
function noiseAt(place: i32, row: v128, middle: v128, scale: v128): v128 {
  let h = v128.xor(row, i32x4.mul(i32x4.splat(place), v128.load32_splat(hashes, 8)))
  h = v128.xor(h, i32x4.shr_u(h, 16))
  h = i32x4.mul(h, v128.load32_splat(hashes))
  h = v128.xor(h, i32x4.shr_u(h, 13))
  h = i32x4.mul(h, v128.load32_splat(hashes, 4))
  h = v128.xor(h, i32x4.shr_u(h, 16))
  const bytes = v128.load32_splat(hashes, 12)
  const pairs = i32x4.add(v128.and(h, bytes), v128.and(i32x4.shr_u(h, 8), bytes))
  const sum = i32x4.add(v128.and(pairs, v128.load32_splat(hashes, 16)), i32x4.shr_u(pairs, 16))
  return f32x4.mul(f32x4.sub(f32x4.convert_i32x4_s(sum), middle), scale)
}

/** See LensKernels.grainRows: four channels of noise of variance 1; each row weighed by a line. */
export function grainRows(
  out: usize, seed: i32, left: i32, top: i32, weights: usize, radius: i32, scratch: usize, scratchBytes: i32, width: i32, y0: i32, y1: i32,
): void {
  const line = scratch + ((thread * scratchBytes) as usize)
  const wide = width + 2 * radius
  const middle = f32x4.splat(510)
  // Four bytes of variance (256² − 1) / 12 each.
  const scale = f32x4.splat((1.0 / 147.80053) as f32)
  const lanes = i32x4(0x1b873593, 0x36e7, 0x51ed270b, 0x27d4eb2f)
  for (let y = y0; y < y1; y++) {
    const row = mixedBits(i32x4.add(i32x4.splat((y + top) * 0x9e3779b1 + seed), lanes))
    const target = out + (((y * width) as usize) << 4)
    const noise = radius > 0 ? line : target
    const first = left - radius
    let x = 0
    for (; x + 4 <= wide; x += 4) {
      const at = noise + ((x as usize) << 4)
      const n0 = noiseAt(x + first, row, middle, scale), n1 = noiseAt(x + first + 1, row, middle, scale)
      const n2 = noiseAt(x + first + 2, row, middle, scale), n3 = noiseAt(x + first + 3, row, middle, scale)
      v128.store(at, n0)
      v128.store(at, n1, 16)
      v128.store(at, n2, 32)
      v128.store(at, n3, 48)
    }
    for (; x < wide; x++) v128.store(noise + ((x as usize) << 4), noiseAt(x + first, row, middle, scale))
    if (radius == 0) continue
    for (let x = 0; x < width; x++) {
      const at = line + (((x + radius) as usize) << 4)
      let sum = f32x4.mul(v128.load(at), v128.load(weights))
      for (let k = 1; k <= radius; k++) {
        const reach = (k as usize) << 4
        sum = f32x4.add(sum, f32x4.mul(f32x4.add(v128.load(at - reach), v128.load(at + reach)), v128.load(weights + reach)))
      }
      v128.store(target + ((x as usize) << 4), sum)
    }
  }
}

// 0.18, the middle, lies at its square root.
const middlePlace: f32 = 0.42426407

/** How much grain four pixels take: by how bright they are, times their cover; none without cover. */
@inline
function grainOf(
  p: v128, q: v128, r: v128, s: v128, weigh: usize, shadows: v128, middle: v128, toMiddle: v128, toLights: v128,
): v128 {
  const pq = v128.shuffle<f32>(p, q, 0, 4, 1, 5), rs = v128.shuffle<f32>(r, s, 0, 4, 1, 5)
  const high = v128.shuffle<f32>(p, q, 2, 6, 3, 7), low = v128.shuffle<f32>(r, s, 2, 6, 3, 7)
  const red = v128.shuffle<f32>(pq, rs, 0, 1, 4, 5), green = v128.shuffle<f32>(pq, rs, 2, 3, 6, 7)
  const blue = v128.shuffle<f32>(high, low, 0, 1, 4, 5), cover = v128.shuffle<f32>(high, low, 2, 3, 6, 7)
  const light = f32x4.add(
    f32x4.add(f32x4.mul(red, v128.load32_splat(weigh)), f32x4.mul(green, v128.load32_splat(weigh, 4))),
    f32x4.mul(blue, v128.load32_splat(weigh, 8)),
  )
  const place = f32x4.sqrt(f32x4.pmin(f32x4.splat(1), f32x4.pmax(f32x4.splat(0), f32x4.div(light, cover))))
  const beyond = f32x4.sub(place, f32x4.splat(middlePlace))
  const much = v128.bitselect(
    f32x4.add(shadows, f32x4.mul(toMiddle, place)),
    f32x4.add(middle, f32x4.mul(toLights, beyond)),
    f32x4.lt(beyond, f32x4.splat(0)),
  )
  return v128.and(f32x4.mul(much, cover), f32x4.gt(cover, f32x4.splat(leastCover)))
}

/** A pixel with its grain; the lines of noise below each other are weighed. */
@inline
function layGrain(
  out: usize, p: v128, noise: usize, stride: usize, weights: usize, radius: i32, shared: v128, own: v128, much: v128,
): void {
  let sum = f32x4.mul(v128.load(noise), v128.load(weights))
  for (let k = 1; k <= radius; k++) {
    const reach = (k as usize) * stride
    const pair = f32x4.add(v128.load(noise - reach), v128.load(noise + reach))
    sum = f32x4.add(sum, f32x4.mul(pair, v128.load(weights + ((k as usize) << 4))))
  }
  const mixed = f32x4.add(f32x4.mul(v128.shuffle<f32>(sum, sum, 3, 3, 3, 3), shared), f32x4.mul(sum, own))
  const made = f32x4.add(p, f32x4.mul(mixed, much))
  v128.store(out, v128.shuffle<f32>(made, p, 0, 1, 2, 7))
}

/** See LensKernels.grain: the lines below each other weighed, and the grain laid on the picture. */
export function grain(
  out: usize, src: usize, noise: usize, weights: usize, radius: i32, shadows: f32, middle: f32, lights: f32, colour: f32, weigh: usize, width: i32,
  y0: i32, y1: i32,
): void {
  const stride = (width as usize) << 4
  const grey: f32 = 1 - colour
  const whole: f32 = 1 / sqrt<f32>(grey * grey + colour * colour)
  const own = f32x4.splat(colour * whole), shared = f32x4.splat(grey * whole)
  const dark = f32x4.splat(shadows), mid = f32x4.splat(middle)
  const toMiddle = f32x4.splat((middle - shadows) / middlePlace), toLights = f32x4.splat((lights - middle) / (1 - middlePlace))
  const end = (y1 * width) as usize
  let i = (y0 * width) as usize
  const down = noise + (radius as usize) * stride
  for (; i + 4 <= end; i += 4) {
    const at = i << 4, from = src + at, n = down + at
    const p = v128.load(from), q = v128.load(from, 16), r = v128.load(from, 32), s = v128.load(from, 48)
    const much = grainOf(p, q, r, s, weigh, dark, mid, toMiddle, toLights)
    layGrain(out + at, p, n, stride, weights, radius, shared, own, v128.shuffle<f32>(much, much, 0, 0, 0, 0))
    layGrain(out + at + 16, q, n + 16, stride, weights, radius, shared, own, v128.shuffle<f32>(much, much, 1, 1, 1, 1))
    layGrain(out + at + 32, r, n + 32, stride, weights, radius, shared, own, v128.shuffle<f32>(much, much, 2, 2, 2, 2))
    layGrain(out + at + 48, s, n + 48, stride, weights, radius, shared, own, v128.shuffle<f32>(much, much, 3, 3, 3, 3))
  }
  for (; i < end; i++) {
    const at = i << 4
    const p = v128.load(src + at)
    const much = grainOf(p, p, p, p, weigh, dark, mid, toMiddle, toLights)
    layGrain(out + at, p, down + at, stride, weights, radius, shared, own, much)
  }
}

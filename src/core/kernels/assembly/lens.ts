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

/** See LensKernels.vignette. isNatural: the fourth power of the cosine; else an oval that softens. */
export function vignette(
  out: usize, src: usize, isNatural: i32, cx: f32, cy: f32, perX: f32, perY: f32, from: f32, to: f32, r: f32, g: f32, b: f32, width: i32,
  y0: i32, y1: i32,
): void {
  const colour = f32x4(r, g, b, 0)
  const one: f32 = 1
  for (let y = y0; y < y1; y++) {
    const dy = ((y as f32) + 0.5 - cy) * perY
    for (let x = 0; x < width; x++) {
      const dx = ((x as f32) + 0.5 - cx) * perX
      const q = dx * dx + dy * dy
      let kept: f32
      if (isNatural) {
        const cos2: f32 = one / (one + q)
        kept = cos2 * cos2
      } else {
        if (q <= from * from && from >= 0) {
          v128.store(out + (((y * width + x) as usize) << 4), v128.load(src + (((y * width + x) as usize) << 4)))
          continue
        }
        const d = sqrt<f32>(q)
        if (d >= to) kept = 0
        else {
          const t = (d - from) / (to - from)
          kept = 1 - t * t * (3 - 2 * t)
        }
      }
      const at = ((y * width + x) as usize) << 4
      const p = v128.load(src + at)
      const alpha = f32x4.extract_lane(p, 3)
      const faded = f32x4.add(f32x4.mul(p, f32x4.splat(kept)), f32x4.mul(colour, f32x4.splat(alpha * (1 - kept))))
      v128.store(out + at, f32x4.replace_lane(faded, 3, alpha))
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

/** See LensKernels.grainRows: four channels of noise of variance 1, the sum of the four bytes of a hash; each row weighed by a line. */
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
    for (let x = 0; x < wide; x++) {
      const h = mixedBits(v128.xor(row, i32x4.splat((x + left - radius) * 0x85ebca77)))
      const pairs = i32x4.add(v128.and(h, i32x4.splat(0x00ff00ff)), v128.and(i32x4.shr_u(h, 8), i32x4.splat(0x00ff00ff)))
      const sum = i32x4.add(v128.and(pairs, i32x4.splat(0xffff)), i32x4.shr_u(pairs, 16))
      v128.store(noise + ((x as usize) << 4), f32x4.mul(f32x4.sub(f32x4.convert_i32x4_s(sum), middle), scale))
    }
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

/** See LensKernels.grain: the lines below each other weighed, and the grain laid on the picture. */
export function grain(
  out: usize, src: usize, noise: usize, weights: usize, radius: i32, shadows: f32, middle: f32, lights: f32, colour: f32, weigh: usize, width: i32,
  y0: i32, y1: i32,
): void {
  const stride = (width as usize) << 4
  const wr = load<f32>(weigh), wg = load<f32>(weigh, 4), wb = load<f32>(weigh, 8)
  const grey: f32 = 1 - colour
  const whole: f32 = 1 / sqrt<f32>(grey * grey + colour * colour)
  const own4 = f32x4.splat(colour * whole)
  for (let y = y0; y < y1; y++)
    for (let x = 0; x < width; x++) {
      const at = ((y * width + x) as usize) << 4
      const p = v128.load(src + at)
      const alpha = f32x4.extract_lane(p, 3)
      if (!(alpha > leastCover)) {
        v128.store(out + at, p)
        continue
      }
      const n = noise + at + (radius as usize) * stride
      let sum = f32x4.mul(v128.load(n), v128.load(weights))
      for (let k = 1; k <= radius; k++) {
        const reach = (k as usize) * stride
        sum = f32x4.add(sum, f32x4.mul(f32x4.add(v128.load(n - reach), v128.load(n + reach)), v128.load(weights + ((k as usize) << 4))))
      }
      const y4 = f32x4.extract_lane(p, 0) * wr + f32x4.extract_lane(p, 1) * wg + f32x4.extract_lane(p, 2) * wb
      const place = sqrt<f32>(min<f32>(1, max<f32>(0, y4 / alpha)))
      // 0.18, the middle, lies at its square root.
      const mid: f32 = 0.42426407
      const much: f32 = place < mid ? shadows + ((middle - shadows) * place) / mid : middle + ((lights - middle) * (place - mid)) / (1 - mid)
      const shared = f32x4.splat(f32x4.extract_lane(sum, 3) * grey * whole)
      const mixed = f32x4.add(shared, f32x4.mul(sum, own4))
      const made = f32x4.add(p, f32x4.mul(mixed, f32x4.splat(much * alpha)))
      v128.store(out + at, f32x4.replace_lane(made, 3, alpha))
    }
}

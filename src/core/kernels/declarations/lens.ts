import type { WorkingSpace } from '../../colour/working.ts'
import { leastCover } from '../../picture/colour.ts'
import { mixedBits } from '../../picture/dither.ts'
import type { Picture, Rgb } from '../../picture/picture.ts'
import type { KernelCalls } from '../kernel-calls.ts'
import { eachValue, held } from '../twin-maths.ts'

/** One wavelength: how far it goes outwards (1: the whole amount), and its share of red, green, blue and alpha. */
export interface Wave {
  readonly out: number
  readonly share: readonly [number, number, number, number]
}

/** How grain looks: standard deviations in the dark, at 0.18 and at 1, and how far its colours differ, 0–1. */
export interface GrainLook {
  readonly shadows: number
  readonly middle: number
  readonly lights: number
  readonly colour: number
}

/** Weights of a line by distance, its middle first, one for each channel. */
export type GrainLine = readonly (readonly [number, number, number, number])[]

/** A darkening towards the edge: by the angle, or within an oval. */
export type Shading =
  | { readonly by: 'angle'; readonly centre: readonly [number, number]; readonly focal: number }
  | {
      readonly by: 'oval'
      readonly centre: readonly [number, number]
      readonly radii: readonly [number, number]
      readonly softness: number
    }

export interface LensKernels {
  /**
   * Colours parted towards the edge: each wave is the picture moved away from `centre` by out · amount · (r / corner)^growth pixels, where r
   * is how far a pixel of the result lies from the centre; edges repeat. `out` is not `src`.
   */
  fringe(
    out: Picture,
    src: Picture,
    waves: readonly Wave[],
    centre: readonly [number, number],
    amount: number,
    corner: number,
    growth: number,
  ): void
  /**
   * The picture times k, and `colour` times alpha times 1 − k. By angle k is cos⁴ of the angle whose tangent is r / focal; in an oval, whose
   * edge is at d = 1, it goes smoothly (3t² − 2t³) from 1 to 0 over d = 1 ∓ softness. Alpha stays.
   */
  vignette(out: Picture, src: Picture, shading: Shading, colour: Rgb): void
  /** out = p + amount · d, d = p − soft made smaller by the threshold; colour alone, and never below 0 where p is not. */
  sharpen(out: Picture, src: Picture, soft: Picture, amount: number, threshold: number): void
  /**
   * Four channels of noise without a mean, of variance 1 before each row is weighed by a line, by pixel of the frame: pixel (0, 0) of `out` is
   * pixel `corner`. With a line of one weight the noise is as it is.
   */
  grainRows(out: Picture, seed: number, corner: readonly [number, number], line: GrainLine): void
  /**
   * Lays grain on a picture: `noise`, higher than it by as many rows above and below, is weighed downwards; colour + alpha · much · grain, where
   * much runs evenly over √luminance from the dark (0) over the middle (0.18) to the lights (1 and beyond).
   */
  grain(out: Picture, src: Picture, noise: Picture, line: GrainLine, look: GrainLook): void
}

const lanes = [0x1b873593, 0x36e7, 0x51ed270b, 0x27d4eb2f]

const ovalNumbers = (shading: Shading) => {
  const [px, py] =
    shading.by === 'angle'
      ? [1 / shading.focal, 1 / shading.focal]
      : [1 / shading.radii[0], 1 / shading.radii[1]]
  const soft = shading.by === 'angle' ? 0 : shading.softness
  return { px, py, from: 1 - soft, to: 1 + soft }
}

/** The plain twins. */
export const plainLens = ({ luminance }: WorkingSpace): LensKernels => ({
  fringe(out, src, waves, centre, amount, corner, growth) {
    const { width, height } = src
    const at = (x: number, y: number, c: number) =>
      src.data[(held(y, height) * width + held(x, width)) * 4 + c]!
    eachValue(out, (_, c, p) => {
      const [x, y] = [p % width, Math.floor(p / width)]
      const [dx, dy] = [x + 0.5 - centre[0], y + 0.5 - centre[1]]
      const r = Math.hypot(dx, dy)
      const way = r > 0 ? (amount * (r / corner) ** growth) / r : 0
      return waves.reduce((sum, { out: far, share }) => {
        const [u, v] = [x - dx * way * far, y - dy * way * far]
        const [fx, fy] = [Math.floor(u), Math.floor(v)]
        const row = (ry: number) => at(fx, ry, c) + (at(fx + 1, ry, c) - at(fx, ry, c)) * (u - fx)
        return sum + share[c]! * (row(fy) + (row(fy + 1) - row(fy)) * (v - fy))
      }, 0)
    })
  },
  vignette(out, src, shading, colour) {
    const { px, py, from, to } = ovalNumbers(shading)
    eachValue(out, (i, c, p) => {
      const alpha = src.data[p * 4 + 3]!
      if (c === 3) return alpha
      const dx = ((p % src.width) + 0.5 - shading.centre[0]) * px
      const dy = (Math.floor(p / src.width) + 0.5 - shading.centre[1]) * py
      const d = Math.hypot(dx, dy)
      const t = d <= from ? 0 : d >= to ? 1 : (d - from) / (to - from)
      const kept = shading.by === 'angle' ? 1 / (1 + d * d) ** 2 : 1 - t * t * (3 - 2 * t)
      return src.data[i]! * kept + colour[c]! * alpha * (1 - kept)
    })
  },
  sharpen(out, src, soft, amount, threshold) {
    eachValue(out, (i, c) => {
      const p = src.data[i]!
      const d = p - soft.data[i]!
      if (c === 3) return p
      return Math.max(Math.min(p, 0), p + amount * Math.sign(d) * Math.max(0, Math.abs(d) - threshold))
    })
  },
  grainRows(out, seed, [left, top], line) {
    const noise = (x: number, y: number, c: number) => {
      const row = mixedBits((Math.imul(y, 0x9e3779b1) + seed + lanes[c]!) | 0)
      const h = mixedBits(row ^ Math.imul(x, 0x85ebca77))
      return ((h & 255) + ((h >>> 8) & 255) + ((h >>> 16) & 255) + (h >>> 24) - 510) / 147.80053
    }
    eachValue(out, (_, c, p) => {
      const [x, y] = [(p % out.width) + left, Math.floor(p / out.width) + top]
      if (line.length === 1) return noise(x, y, c)
      return line.reduce((sum, w, k) => sum + w[c]! * (noise(x + k, y, c) + (k ? noise(x - k, y, c) : 0)), 0)
    })
  },
  grain(out, src, noise, line, { shadows, middle, lights, colour }) {
    const reach = line.length - 1
    eachValue(out, (i, c, p) => {
      const [r, g, b, alpha] = [0, 1, 2, 3].map((k) => src.data[p * 4 + k]!) as [
        number,
        number,
        number,
        number,
      ]
      if (c === 3 || !(alpha > leastCover)) return src.data[i]!
      const at = p + reach * out.width
      const grained = (k: number) =>
        line.reduce((sum, w, d) => {
          const [below, above] = [
            noise.data[(at + d * out.width) * 4 + k]!,
            noise.data[(at - d * out.width) * 4 + k]!,
          ]
          return sum + w[k]! * (d ? below + above : below)
        }, 0)
      const place = Math.sqrt(Math.min(1, Math.max(0, luminance(r, g, b) / alpha)))
      const mid = Math.sqrt(0.18)
      const much =
        place < mid
          ? shadows + ((middle - shadows) * place) / mid
          : middle + ((lights - middle) * (place - mid)) / (1 - mid)
      const mixed = ((1 - colour) * grained(3) + colour * grained(c)) / Math.hypot(1 - colour, colour)
      return src.data[i]! + alpha * much * mixed
    })
  },
})

export const fastLens = ({ run, withFloats, withScratch, weighAt }: KernelCalls): LensKernels => ({
  fringe: (out, src, waves, centre, amount, corner, growth) => {
    const fours = Math.ceil(waves.length / 4)
    const numbers = Array.from({ length: fours }, (_, k) => {
      const four = [0, 1, 2, 3].map((i) => waves[k * 4 + i] ?? { out: 0, share: [0, 0, 0, 0] as const })
      return [...four.map((wave) => wave.out), ...four.flatMap((wave) => wave.share)]
    })
    const most = Math.max(0, ...waves.map((wave) => Math.abs(wave.out)))
    const corners = [0, src.width].flatMap((x) =>
      [0, src.height].map((y) => Math.hypot(x - centre[0], y - centre[1])),
    )
    withFloats(numbers.flat(), (at) => {
      withScratch(4 * 2052, (scratch) => {
        const how = [amount, corner, growth, Math.max(...corners), most] as const
        run('fringe', out, out.at, src.at, at, fours, ...centre, ...how, scratch, src.width, src.height)
      })
    })
  },
  vignette: (out, src, shading, colour) => {
    const { px, py, from, to } = ovalNumbers(shading)
    const isNatural = Number(shading.by === 'angle')
    run('vignette', out, out.at, src.at, isNatural, ...shading.centre, px, py, from, to, ...colour, src.width)
  },
  sharpen: (out, src, soft, amount, threshold) => {
    run('sharpen', out, out.at, src.at, soft.at, amount, threshold, src.width)
  },
  grainRows: (out, seed, corner, line) => {
    const radius = line.length - 1
    const bytes = (out.width + 2 * radius) * 16
    withFloats(line.flat(), (at) => {
      withScratch(bytes, (scratch) => {
        run('grainRows', out, out.at, seed, ...corner, at, radius, scratch, bytes, out.width)
      })
    })
  },
  grain: (out, src, noise, line, { shadows, middle, lights, colour }) => {
    withFloats(line.flat(), (at) => {
      const look = [shadows, middle, lights, colour] as const
      run('grain', out, out.at, src.at, noise.at, at, line.length - 1, ...look, weighAt, out.width)
    })
  },
})

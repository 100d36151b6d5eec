import type { WorkingSpace } from '../../colour/working.ts'
import type { Picture } from '../../picture/picture.ts'
import { type Tap, type Taps, weightsOf } from '../line-profile.ts'
import { held, eachValue, along, between } from '../twin-maths.ts'
import type { KernelCalls } from '../kernel-calls.ts'

/** Rays from a point: angles in radians, clockwise on screen from east; lengths in pixels. */
export interface RayGeometry {
  readonly origin: readonly [number, number]
  readonly firstAngle: number
  readonly stepAngle: number
  readonly firstRadius: number
  /** The rays go all the way round. */
  readonly isRound: boolean
}

const geometryNumbers = ({ origin, firstAngle, stepAngle, firstRadius }: RayGeometry) =>
  [...origin, firstAngle, stepAngle, firstRadius] as const

export interface StreakKernels {
  /**
   * Light drawn out along the lines y = c + slope · x, c = first … first + out.height − 1, |slope| ≤ 1: out(x, i) is the sum over a
   * profile of the samples at x − t (`ahead`) and x + t (`behind`) on line i, found between the rows of `src`; black outside. `out`
   * is as wide as `src`, and not `src`. `lit` is where light may be, of litTiles.
   */
  streakLines(
    out: Picture,
    src: Picture,
    lit: Picture,
    slope: number,
    first: number,
    ahead: Taps | undefined,
    behind: Taps | undefined,
  ): void
  /** out += gain · the lines of streakLines, each back in its place. */
  streakBack(out: Picture, lines: Picture, slope: number, first: number, gain: number): void
  /** Rows become columns; `out` is as high as `src` is wide, and not `src`. */
  transpose(out: Picture, src: Picture): void
  /** 1 where any value of a tile of 64 × 64 pixels of `src` is not 0, else 0; one channel, a pixel a tile. */
  litTiles(out: Picture, src: Picture): void
  /** How often light is halved by a pixel that takes a share of it, 0–1: −log2(1 − share), 40 where it takes all. One channel. */
  opticalDepth(out: Picture, src: Picture): void
  /**
   * Light drawn out along rays from an origin: row i of `out` is the ray at angle i, its pixels lie one pixel apart from
   * `firstRadius` on; each is the sum over a profile of what lies nearer to the origin, times the ray's gain; alpha 0. `depth` (one
   * channel, of opticalDepth) halves all light that passes so often a pixel; between pixels it lies between theirs. `lit` is where light may be, of litTiles.
   */
  rayLines(
    out: Picture,
    light: Picture,
    lit: Picture,
    depth: Picture | undefined,
    taps: readonly Tap[],
    gains: readonly number[],
    geometry: RayGeometry,
  ): void
  /** out = gain · the rays of rayLines, back in the picture, between rays and pixels of rays. */
  rayBack(out: Picture, rays: Picture, geometry: RayGeometry, gain: number): void
  /** Luminance y becomes ((y − black) / (white − black))^(1/gamma), colour with it; alpha 0. Nothing below black; no upper end. */
  lightLevels(out: Picture, src: Picture, black: number, white: number, gamma: number): void
}

/** The plain twins. */
export const plainStreak = ({ luminance }: WorkingSpace): StreakKernels => ({
  streakLines(out, src, _, slope, first, ahead, behind) {
    const { width } = src
    for (let i = 0; i < out.height; i++) {
      const value = (x: number, c: number) => {
        const y = first + i + x * slope
        const [a, b] = [Math.floor(y), Math.floor(y) + 1].map((row) =>
          row < 0 || row >= src.height ? 0 : src.data[(row * width + x) * 4 + c]!,
        ) as [number, number]
        return a + (b - a) * (y - Math.floor(y))
      }
      for (let c = 0; c < 4; c++) {
        const line = Array.from({ length: width }, (_, x) => value(x, c))
        const forth = along(line, ahead?.[ahead.length === 3 ? c : 0])
        const back = along(line.toReversed(), behind?.[behind.length === 3 ? c : 0]).toReversed()
        // Lines are drawn only where they run through the picture.
        for (let x = 0; x < width; x++) {
          const y = first + i + x * slope
          out.data[(i * width + x) * 4 + c] = y > -1 && y < src.height ? forth[x]! + back[x]! : 0
        }
      }
    }
  },
  streakBack(out, lines, slope, first, gain) {
    eachValue(out, (i, c, p) => {
      const [x, y] = [p % out.width, Math.floor(p / out.width)]
      const line = y - x * slope - first
      const whole = Math.min(lines.height - 2, Math.max(0, Math.floor(line)))
      const [a, b] = [0, 1].map((k) => lines.data[((whole + k) * out.width + x) * 4 + c]!) as [number, number]
      return out.data[i]! + gain * (a + (b - a) * (line - whole))
    })
  },
  transpose(out, src) {
    eachValue(out, (_, c, p) => {
      const [x, y] = [p % out.width, Math.floor(p / out.width)]
      return src.data[(x * src.width + y) * 4 + c]!
    })
  },
  litTiles(out, src) {
    out.data.fill(0)
    for (let i = 0; i < src.data.length; i++) {
      const [x, y] = [(i >> 2) % src.width, Math.floor((i >> 2) / src.width)]
      if (src.data[i] !== 0) out.data[(y >> 6) * out.width + (x >> 6)] = 1
    }
  },
  opticalDepth(out, src) {
    eachValue(out, (i) => Math.max(0, -Math.log2(Math.max(2 ** -40, Math.min(1, 1 - src.data[i]!)))))
  },
  rayLines(out, light, _, depth, taps, gains, { origin, firstAngle, stepAngle, firstRadius }) {
    const weights = weightsOf(taps)
    for (let row = 0; row < out.height; row++) {
      const angle = firstAngle + row * stepAngle
      const at = (i: number) => {
        const r = firstRadius + i
        return [origin[0] + Math.cos(angle) * r - 0.5, origin[1] + Math.sin(angle) * r - 0.5] as const
      }
      const open = Array.from({ length: out.width }, (_, i) =>
        depth ? 2 ** -between(depth, ...at(i), 0) : 1,
      )
      for (let c = 0; c < 4; c++) {
        const line = Array.from({ length: out.width }, (_, i) => between(light, ...at(i), c))
        for (let i = 0; i < out.width; i++) {
          let [sum, passed] = [0, 1]
          for (let t = 0; t <= i && t < weights.length; t++) {
            sum += weights[t]! * line[i - t]! * passed
            passed *= open[i - t]!
          }
          out.data[(row * out.width + i) * 4 + c] = c < 3 ? sum * gains[row]! : 0
        }
      }
    }
  },
  rayBack(out, rays, { origin, firstAngle, stepAngle, firstRadius, isRound }, gain) {
    eachValue(out, (_, c, p) => {
      const [dx, dy] = [(p % out.width) + 0.5 - origin[0], Math.floor(p / out.width) + 0.5 - origin[1]]
      const turn = 2 * Math.PI
      const angle = (((Math.atan2(dy, dx) - firstAngle) % turn) + turn) % turn
      const [u, v] = [Math.hypot(dx, dy) - firstRadius, angle / stepAngle]
      const column = held(Math.floor(u), rays.width - 1)
      const line = (row: number) => {
        const y = isRound ? row % rays.height : held(row, rays.height)
        const [a, b] = [0, 1].map((k) => rays.data[(y * rays.width + column + k) * 4 + c]!) as [
          number,
          number,
        ]
        return a + (b - a) * (u - Math.floor(u))
      }
      const [a, b] = [line(Math.floor(v)), line(Math.floor(v) + 1)]
      return gain * (a + (b - a) * (v - Math.floor(v)))
    })
  },
  lightLevels(out, src, black, white, gamma) {
    for (let i = 0; i < out.data.length; i += 4) {
      const y = luminance(src.data[i]!, src.data[i + 1]!, src.data[i + 2]!)
      const level = (y - black) / (white - black)
      const factor = y > 0 && level > 0 ? level ** (1 / gamma) / y : 0
      for (let c = 0; c < 4; c++) out.data[i + c] = c < 3 ? src.data[i + c]! * factor : 0
    }
  },
})

export const fastStreak = ({
  run,
  withScratch,
  withFloats,
  withDoubles,
  withTaps,
  weighAt,
}: KernelCalls): StreakKernels => ({
  streakLines: (out, src, lit, slope, first, ahead, behind) => {
    const tables = [ahead, behind].map((taps) => {
      const count = Math.max(0, ...(taps ?? []).map((channel) => channel.length))
      // Tables of one length: what is added lies beyond any line.
      const rows = (taps ?? []).map((channel) => [
        ...channel,
        ...new Array<Tap>(count - channel.length).fill([2e9, 0]),
      ])
      return { count, values: rows.flat() }
    })
    const bytes = src.width * 56
    const byChannel = (ahead ?? behind)?.length === 3
    withScratch(bytes, (scratch) => {
      withTaps(tables[0]!.values, (aheadAt) => {
        withTaps(tables[1]!.values, (behindAt) => {
          const taps = [aheadAt, tables[0]!.count, behindAt, tables[1]!.count, Number(byChannel)] as const
          run(
            'streakLines',
            out,
            out.at,
            src.at,
            lit.at,
            scratch,
            bytes,
            ...taps,
            slope,
            first,
            src.width,
            src.height,
          )
        })
      })
    })
  },
  streakBack: (out, lines, slope, first, gain) => {
    const bytes = out.width * 8
    withScratch(bytes, (scratch) => {
      const line = [slope, first, lines.height, gain] as const
      run('streakBack', out, out.at, lines.at, scratch, bytes, ...line, out.width)
    })
  },
  transpose: (out, src) => {
    run('transpose', out, out.at, src.at, out.width, out.height)
  },
  litTiles: (out, src) => {
    run('litTiles', out, out.at, src.at, out.width, src.width, src.height)
  },
  opticalDepth: (out, src) => {
    run('opticalDepth', out, out.at, src.at, out.width)
  },
  rayLines: (out, light, lit, depth, taps, gains, geometry) => {
    const bytes = out.width * 32 + out.height * 24
    withScratch(bytes, (scratch) => {
      withTaps(taps, (tapsAt) => {
        withFloats(gains, (gainsAt) => {
          withDoubles(geometryNumbers(geometry), (geometryAt) => {
            const lines = [scratch, bytes, tapsAt, taps.length, gainsAt, geometryAt] as const
            const sizes = [out.width, light.width, light.height] as const
            run('rayLines', out, out.at, light.at, lit.at, depth?.at ?? 0, ...lines, ...sizes)
          })
        })
      })
    })
  },
  rayBack: (out, rays, geometry, gain) => {
    withDoubles(geometryNumbers(geometry), (at) => {
      const sizes = [rays.height, rays.width, Number(geometry.isRound)] as const
      withScratch(64, (scratch) => {
        run('rayBack', out, out.at, rays.at, scratch, 64, at, ...sizes, gain, out.width)
      })
    })
  },
  lightLevels: (out, src, black, white, gamma) => {
    run('lightLevels', out, out.at, src.at, black, white, 1 / gamma, weighAt, out.width)
  },
})

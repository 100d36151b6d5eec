import type { WorkingSpace } from '../../colour/working.ts'
import type { Picture } from '../../picture/picture.ts'
import { lineTaps, type Tap, type Taps, weightsOf } from '../line-profile.ts'
import { held, eachValue, along, between } from '../twin-maths.ts'
import type { KernelCalls } from '../kernel-calls.ts'
import type { Lines } from './ways.ts'

/** Rays from a point: angles in radians, clockwise on screen from east; lengths in pixels. */
export interface RayGeometry {
  readonly origin: readonly [number, number]
  readonly firstAngle: number
  readonly stepAngle: number
  readonly firstRadius: number
  /** The rays go all the way round. */
  readonly isRound: boolean
  /** Up to this radius every other ray is enough, up to a half of it every fourth, a quarter every eighth, an eighth every sixteenth; in whole 16 pixels. 0: all are needed. */
  readonly evenRadius: number
}

/** How often rays are halved at a radius: 0 to 4. */
const timesHalved = (evenRadius: number, radius: number) =>
  [1, 2, 4, 8].filter((part) => radius <= Math.floor(evenRadius / part / 16) * 16).length

const geometryNumbers = ({ origin, firstAngle, stepAngle, firstRadius, evenRadius }: RayGeometry) =>
  [...origin, firstAngle, stepAngle, firstRadius, evenRadius] as const

export interface StreakKernels {
  /**
   * Light drawn out along lines: out(x, row) is the sum over a profile of the samples at x − t (`ahead`) and x + t (`behind`) on the
   * line, found between the rows of `src`; black outside. `out` is as wide as `src`, or as `src` is high where lines are steep, and not `src`;
   * where a line runs outside of the picture it is left as it is. `lit` is where light may be, of litTiles. Where profiles bend little
   * the line is found at nodes, of which one is sample `nodes`.
   */
  streakLines(
    out: Picture,
    src: Picture,
    lit: Picture,
    lines: Lines,
    nodes: number,
    ahead: Taps | undefined,
    behind: Taps | undefined,
  ): void
  /** The lines of streakLines, each back in its place: as `out`, or added to it. There must be a line more after those that are needed. */
  streakBack(out: Picture, drawn: Picture, lines: Lines, isAdded: boolean): void
  /** 1 where any value of a tile of 64 × 64 pixels of `src` is not 0, else 0; one channel, a pixel a tile. */
  litTiles(out: Picture, src: Picture): void
  /** How often light is halved by a pixel that takes a share of it, 0–1: −log2(1 − share), 40 where it takes all. One channel. */
  opticalDepth(out: Picture, src: Picture): void
  /**
   * Light drawn out along rays from an origin: row i of `out` is the ray at angle i, its pixels lie one pixel apart from
   * `firstRadius` on; each is the sum over a profile of what lies nearer to the origin, times the ray's gain; alpha 0. `depth` (one
   * channel, of opticalDepth) halves all light that passes so often a pixel; between pixels it lies between theirs. `lit` is where light may be, of litTiles.
   * Where not every ray is needed, those left out find the light between their neighbours, and are not drawn there; nothing is drawn beyond the picture. With `depth` all rays are needed.
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
  streakLines(out, src, _, { slope, first, isSteep }, __, ahead, behind) {
    const [width, height] = isSteep ? [src.height, src.width] : [src.width, src.height]
    for (let i = 0; i < out.height; i++) {
      const value = (x: number, c: number) => {
        const y = first + i + x * slope
        const [a, b] = [Math.floor(y), Math.floor(y) + 1].map((row) =>
          row < 0 || row >= height ? 0 : src.data[(isSteep ? x * src.width + row : row * width + x) * 4 + c]!,
        ) as [number, number]
        return a + (b - a) * (y - Math.floor(y))
      }
      for (let c = 0; c < 4; c++) {
        const line = Array.from({ length: width }, (_, x) => value(x, c))
        const forth = along(line, ahead?.[ahead.length === 3 ? c : 0])
        const back = along(line.toReversed(), behind?.[behind.length === 3 ? c : 0]).toReversed()
        for (let x = 0; x < width; x++) out.data[(i * width + x) * 4 + c] = forth[x]! + back[x]!
      }
    }
  },
  streakBack(out, drawn, { slope, first, isSteep }, isAdded) {
    eachValue(out, (i, c, p) => {
      const [column, row] = [p % out.width, Math.floor(p / out.width)]
      const [x, y] = isSteep ? [row, column] : [column, row]
      const line = y - x * slope - first
      const whole = Math.floor(line)
      const [a, b] = [0, 1].map((k) => drawn.data[((whole + k) * drawn.width + x) * 4 + c]!) as [
        number,
        number,
      ]
      return (isAdded ? out.data[i]! : 0) + a + (b - a) * (line - whole)
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
  rayLines(out, light, _, depth, taps, gains, { origin, firstAngle, stepAngle, firstRadius, evenRadius }) {
    const weights = weightsOf(taps)
    for (let row = 0; row < out.height; row++) {
      const at = (i: number, ray = row) => {
        const [r, angle] = [firstRadius + i, firstAngle + ray * stepAngle]
        return [origin[0] + Math.cos(angle) * r - 0.5, origin[1] + Math.sin(angle) * r - 0.5] as const
      }
      /** Light at a sample: of a ray that is left out there, between those beside it that are not. */
      const lightAt = (i: number, c: number) => {
        const apart = 2 ** timesHalved(evenRadius, firstRadius + i)
        const before = Math.floor(row / apart) * apart
        const [a, b] = [before, before + apart].map((ray) => between(light, ...at(i, ray), c)) as [
          number,
          number,
        ]
        return a + ((b - a) * (row - before)) / apart
      }
      const open = Array.from({ length: out.width }, (_, i) =>
        depth ? 2 ** -between(depth, ...at(i), 0) : 1,
      )
      for (let c = 0; c < 4; c++) {
        const line = Array.from({ length: out.width }, (_, i) => lightAt(i, c))
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
  rayBack(out, rays, { origin, firstAngle, stepAngle, firstRadius, isRound, evenRadius }, gain) {
    eachValue(out, (_, c, p) => {
      const [dx, dy] = [(p % out.width) + 0.5 - origin[0], Math.floor(p / out.width) + 0.5 - origin[1]]
      const turn = 2 * Math.PI
      const angle = (((Math.atan2(dy, dx) - firstAngle) % turn) + turn) % turn
      const u = Math.hypot(dx, dy) - firstRadius
      const column = held(Math.floor(u), rays.width - 1)
      const apart = 2 ** timesHalved(evenRadius, firstRadius + column)
      const v = (isRound ? angle / stepAngle : Math.min(rays.height - 1, angle / stepAngle)) / apart
      const line = (ray: number) => {
        const [a, b] = [0, 1].map((k) => rays.data[(ray * rays.width + column + k) * 4 + c]!) as [
          number,
          number,
        ]
        return a + (b - a) * (u - Math.floor(u))
      }
      const before = Math.floor(v) * apart
      const after = before + apart
      const a = line(before % rays.height)
      const b = after < rays.height ? line(after) : isRound ? line(after - rays.height) : a
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

/** Lines and rays that the kernels make together, and bytes of work on one. */
const [linesTogether, raysTogether] = [32, 16]
const lineBytes = (samples: number) => (Math.floor(samples / 4) + 32) * 64 + (samples + 64) * 32

export const fastStreak = ({
  run,
  pool,
  withScratch,
  withFloats,
  withDoubles,
  withTaps,
  withLineTaps,
  weighAt,
}: KernelCalls): StreakKernels => ({
  streakLines: (out, src, lit, { slope, first, isSteep }, nodes, ahead, behind) => {
    const taps = lineTaps(ahead, behind)
    const [width, height] = isSteep ? [src.height, src.width] : [src.width, src.height]
    const steps: readonly [number, number] = isSteep ? [src.width * 16, 16] : [16, src.width * 16]
    const bytes = linesTogether * (width * 16 + 528) + lineBytes(width)
    withScratch(bytes, (scratch) => {
      withLineTaps(taps, (at) => {
        const tables = [scratch, bytes, at, taps.smooth.length, taps.sharp.length, taps.step] as const
        const lines = [...steps, slope, first, nodes, width, height] as const
        run('streakLines', out, out.at, src.at, lit.at, ...tables, ...lines)
      })
    })
  },
  streakBack: (out, drawn, { slope, first, isSteep }, isAdded) => {
    const steps: readonly [number, number] = isSteep ? [out.width * 16, 16] : [16, out.width * 16]
    const rows = isSteep ? out.width : out.height
    const line = [slope, first, Number(isAdded), drawn.width] as const
    pool.run('streakBack', [out.at, drawn.at, ...steps, ...line], rows, drawn.width * 4)
  },
  litTiles: (out, src) => {
    run('litTiles', out, out.at, src.at, out.width, src.width, src.height)
  },
  opticalDepth: (out, src) => {
    run('opticalDepth', out, out.at, src.at, out.width)
  },
  rayLines: (out, light, lit, depth, taps, gains, geometry) => {
    withFloats(gains, (gainsAt) => {
      withDoubles(geometryNumbers(geometry), (geometryAt) => {
        const rays = [gainsAt, geometryAt, out.width, light.width, light.height] as const
        if (depth) {
          const bytes = out.width * 32
          withScratch(bytes, (scratch) => {
            withTaps(taps, (at) => {
              run('rayLinesPast', out, out.at, light.at, depth.at, scratch, bytes, at, taps.length, ...rays)
            })
          })
          return
        }
        const { near, smooth, sharp, step } = lineTaps([taps], undefined)
        const sums = sharp.length > 0 ? (out.width + 48) * 32 : 0
        const bytes = (raysTogether + 1) * (40 + out.width * 16 + 528 + (out.width / step + 4) * 64 + sums)
        const whole = Math.ceil(bytes / 16) * 16
        withScratch(whole, (scratch) => {
          withLineTaps({ near, smooth, sharp, step }, (at) => {
            const lines = [scratch, whole, at, smooth.length, sharp.length, step] as const
            const sizes = [out.width, out.height, light.width, light.height] as const
            const args = [out.at, light.at, lit.at, ...lines, gainsAt, geometryAt, ...sizes] as const
            const groups = Math.ceil(out.height / raysTogether)
            pool.run('rayLines', args, groups, raysTogether * out.width * 4)
          })
        })
      })
    })
  },
  rayBack: (out, rays, geometry, gain) => {
    withDoubles(geometryNumbers(geometry), (at) => {
      const sizes = [rays.height, rays.width, Number(geometry.isRound)] as const
      run('rayBack', out, out.at, rays.at, at, ...sizes, gain, out.width)
    })
  },
  lightLevels: (out, src, black, white, gamma) => {
    run('lightLevels', out, out.at, src.at, black, white, 1 / gamma, weighAt, out.width)
  },
})

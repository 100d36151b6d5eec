import type { WorkingSpace } from '../../colour/working.ts'
import { leastCover } from '../../picture/colour.ts'
import { fresnel } from '../../picture/fresnel.ts'
import type { Picture } from '../../picture/picture.ts'
import type { KernelCalls } from '../kernel-calls.ts'
import { eachValue } from '../twin-maths.ts'

/** Which part of a picture serves as matte; 'single' for pictures of one channel. */
export type MatteUse = 'alpha' | 'luminance' | 'red' | 'green' | 'blue' | 'single'
const useCodes = { red: 0, green: 1, blue: 2, alpha: 3, luminance: 4, single: 5 } as const

/** Two mattes as one: the greater of both, their product, or the first where the second is not. */
export const matteJoins = ['union', 'intersect', 'subtract'] as const
export type MatteJoin = (typeof matteJoins)[number]

export interface MatteLevels {
  readonly black: number
  readonly white: number
  readonly gamma: number
  readonly invert: boolean
}

/** A range of values, and how far below and above it they still count in part. */
export interface Marks {
  readonly from: number
  readonly to: number
  readonly softFrom: number
  readonly softTo: number
}

/** How colours are laid into a picture: as light, mixed over it, or multiplied with it. */
const colourUses = ['light', 'mix', 'multiply'] as const
export type ColourUse = (typeof colourUses)[number]

export interface MatteKernels {
  /** One channel, held in 0–1, from a picture; 1 − that where inverted. `out` may be `src` where that has one. */
  matteOf(out: Picture, src: Picture, use: MatteUse, invert: boolean): void
  combineMattes(out: Picture, a: Picture, b: Picture, by: MatteJoin): void
  /** ((v − black) / (white − black)) held in 0–1, to the power of 1 / gamma, 1 − that where inverted; into each channel of `out`. */
  levelMatte(out: Picture, values: Picture, levels: MatteLevels): void
  /** max(least, offset + gain · v) of one channel. */
  linearMatte(out: Picture, src: Picture, gain: number, offset: number, least: number): void
  /** rise(v − from, softFrom) · rise(to − v, softTo) of one channel; rise(x, s) = 1 for x ≥ 0, else max(0, 1 + x / s), 0 for s = 0. */
  betweenMarks(out: Picture, src: Picture, marks: Marks): void
  /** The luminance of the straight colour of each pixel, one channel; of the light itself where there is no cover. */
  straightLuminance(out: Picture, src: Picture): void
  /** `matte` times alpha, held to at most 1, where a picture has cover; in place. */
  underCover(matte: Picture, picture: Picture): void
  /** Sums of the four channels, in double precision, row by row: the same on every machine, however many threads there are. */
  channelSums(picture: Picture): readonly [number, number, number, number]
  /** A picture with another cover: its straight colour where its alpha is above 1/512, `mean` elsewhere. */
  putCover(out: Picture, picture: Picture, cover: Picture, mean: readonly [number, number, number]): void
  /**
   * The straight colours of a picture, times a gain, inside the cover of another: as light, mixed over it, or multiplied with it. Where there are
   * no colours there is no light, and the other stays as it is.
   */
  takeColours(out: Picture, picture: Picture, colours: Picture, gain: number, as: ColourUse): void
  /**
   * How surfaces are turned, one channel, from normals: c = |n · v| / (|n| |v|), v = camera − position, (0, 0, 1) without positions; 1 − c, or for a
   * refractive index the share of light that is reflected. 0 where a normal is no longer than 10⁻⁶.
   */
  facing(
    out: Picture,
    normals: Picture,
    positions: Picture | undefined,
    camera: readonly [number, number, number],
    index: number | undefined,
  ): void
}

const held = (v: number) => (v > 0 ? Math.min(1, v) : 0)
const rise = (v: number, soft: number) => (v >= 0 ? 1 : soft > 0 ? Math.max(0, 1 + v / soft) : 0)

/** The plain twins. */
export const plainMatte = ({ luminance }: WorkingSpace): MatteKernels => ({
  matteOf(out, src, use, invert) {
    const at = (p: number, c: number) => src.data[p * src.channels + c]!
    eachValue(out, (_, __, p) => {
      const value =
        use === 'luminance'
          ? luminance(at(p, 0), at(p, 1), at(p, 2))
          : at(p, use === 'single' ? 0 : useCodes[use])
      return invert ? 1 - held(value) : held(value)
    })
  },
  combineMattes(out, a, b, by) {
    eachValue(out, (i) => {
      const [x, y] = [a.data[i]!, b.data[i]!]
      return by === 'union' ? Math.max(x, y) : x * (by === 'intersect' ? y : 1 - y)
    })
  },
  levelMatte(out, values, { black, white, gamma, invert }) {
    // Where both are one picture each value is read before it is written.
    eachValue(out, (_, __, p) => {
      const v = held((values.data[p]! - black) / Math.max(1e-6, white - black)) ** (1 / gamma)
      return invert ? 1 - v : v
    })
  },
  linearMatte(out, src, gain, offset, least) {
    eachValue(out, (i) => Math.max(least, offset + gain * src.data[i]!))
  },
  betweenMarks(out, src, { from, to, softFrom, softTo }) {
    eachValue(out, (i) => rise(src.data[i]! - from, softFrom) * rise(to - src.data[i]!, softTo))
  },
  straightLuminance(out, { data }) {
    eachValue(out, (i) => {
      const [r, g, b, alpha] = [data[i * 4]!, data[i * 4 + 1]!, data[i * 4 + 2]!, data[i * 4 + 3]!]
      return luminance(r, g, b) / (alpha > leastCover ? alpha : 1)
    })
  },
  underCover(matte, { data }) {
    eachValue(matte, (i) => {
      const alpha = data[i * 4 + 3]!
      return matte.data[i]! * (alpha > leastCover ? Math.min(1, alpha) : 1)
    })
  },
  channelSums({ width, height, data }) {
    const sums: [number, number, number, number] = [0, 0, 0, 0]
    for (let y = 0; y < height; y++) {
      const row = [0, 0, 0, 0]
      for (let i = y * width * 4; i < (y + 1) * width * 4; i++) row[i & 3]! += data[i]!
      for (const c of [0, 1, 2, 3] as const) sums[c] += row[c]!
    }
    return sums
  },
  putCover(out, { data }, cover, mean) {
    eachValue(out, (i, c, p) => {
      const [alpha, next] = [data[p * 4 + 3]!, cover.data[p]!]
      if (c === 3) return next
      const factor = alpha > 1 / 512 ? next / alpha : 0
      return factor > 0 ? data[i]! * factor : mean[c]! * next
    })
  },
  takeColours(out, picture, colours, gain, as) {
    const { data } = picture
    const covers = Float32Array.from({ length: picture.width * picture.height }, (_, p) => data[p * 4 + 3]!)
    eachValue(out, (i, c, p) => {
      const [cover, alpha, own] = [covers[p]!, colours.data[p * 4 + 3]!, data[i]!]
      if (c === 3) return as === 'light' ? 0 : cover
      if (alpha > leastCover) return (colours.data[i]! / alpha) * gain * (as === 'multiply' ? own : cover)
      return as === 'light' ? 0 : own
    })
  },
  facing(out, normals, positions, camera, index) {
    eachValue(out, (p) => {
      const at = (src: Picture) => [0, 1, 2].map((c) => src.data[p * 4 + c]!) as [number, number, number]
      const n = at(normals)
      const length = Math.hypot(...n)
      if (!(length > 1e-6)) return 0
      const v = positions ? at(positions).map((place, c) => camera[c]! - place) : [0, 0, 1]
      const far = Math.max(1e-9, Math.hypot(...v))
      const cosine = Math.min(1, Math.abs(n.reduce((sum, one, c) => sum + one * (v[c]! / far), 0)) / length)
      return index === undefined ? 1 - cosine : fresnel(cosine, index)
    })
  },
})

export const fastMatte = ({
  run,
  pool,
  store,
  weighAt,
  withBytes,
  withFloats,
}: KernelCalls): MatteKernels => ({
  matteOf: (out, src, use, invert) => {
    run('matteOf', out, out.at, src.at, useCodes[use], Number(invert), weighAt, out.width)
  },
  combineMattes: (out, a, b, by) => {
    run('combineMattes', out, out.at, a.at, b.at, matteJoins.indexOf(by), out.width)
  },
  levelMatte: (out, values, { black, white, gamma, invert }) => {
    const span = Math.max(1e-6, white - black)
    run('levelMatte', out, out.at, values.at, out.channels, black, span, 1 / gamma, Number(invert), out.width)
  },
  linearMatte: (out, src, gain, offset, least) => {
    run('linearMatte', out, out.at, src.at, gain, offset, least, out.width)
  },
  betweenMarks: (out, src, { from, to, softFrom, softTo }) => {
    run('betweenMarks', out, out.at, src.at, from, to, softFrom, softTo, out.width)
  },
  straightLuminance: (out, src) => {
    run('straightLuminance', out, out.at, src.at, weighAt, out.width)
  },
  underCover: (matte, picture) => {
    run('underCover', matte, matte.at, picture.at, matte.width)
  },
  channelSums: ({ width, height, at }) => {
    const sums: [number, number, number, number] = [0, 0, 0, 0]
    withBytes(height * 32, (to) => {
      pool.run('channelSums', [to, at, width], height, width * 4)
      const rows = new Float64Array(store.memory.buffer, to, height * 4)
      for (let i = 0; i < rows.length; i++) sums[i & 3]! += rows[i]!
    })
    return sums
  },
  putCover: (out, picture, cover, mean) => {
    withFloats([...mean, 0], (colour) => {
      run('putCover', out, out.at, picture.at, cover.at, colour, out.width)
    })
  },
  takeColours: (out, picture, colours, gain, as) => {
    run('takeColours', out, out.at, picture.at, colours.at, gain, colourUses.indexOf(as), out.width)
  },
  facing: (out, normals, positions, camera, index) => {
    run('facing', out, out.at, normals.at, positions?.at ?? 0, ...camera, index ?? 0, out.width)
  },
})

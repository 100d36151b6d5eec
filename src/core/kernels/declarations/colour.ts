import type { WorkingSpace } from '../../colour/working.ts'
import type { Picture } from '../../picture/picture.ts'
import { eachValue } from '../twin-maths.ts'
import type { KernelCalls } from '../kernel-calls.ts'

/** Which light is caught. */
export interface Caught {
  readonly threshold: number
  /** Half the span over which light sets in, in units of light. */
  readonly knee: number
  /** Brightness that counts at most. */
  readonly ceiling: number
  /** Brightness is that of the brightest channel, not the luminance. */
  readonly byMost?: boolean
}

/** The numbers that kernels take for it; `weighAt` is where the weights of luminance are. */
export const caughtNumbers = ({ threshold, knee, ceiling, byMost }: Caught, weighAt: number) =>
  [threshold, knee, ceiling, byMost ? 0 : weighAt] as const

/** An end of a gradient, in pixels of the picture, and its value there. */
export interface GradientEnd {
  readonly at: readonly [number, number]
  /** Premultiplied, and alpha. */
  readonly value: readonly [number, number, number, number]
}

export interface ColourKernels {
  /** Multiplies each channel. */
  gains(out: Picture, src: Picture, r: number, g: number, b: number, a: number): void
  /** Row-major 3×4 matrix from RGBA to RGB, factor on alpha. Linear, so right on premultiplied colour. */
  colourMatrix(out: Picture, src: Picture, matrix: readonly number[], alpha: number): void
  /**
   * The light above a threshold, hue kept, alpha 0. Between threshold ± knee the part that passes rises as a parabola, so that
   * nothing pops; brightness is held at the ceiling first. Negative light never passes.
   */
  brightPass(out: Picture, src: Picture, caught: Caught): void
  /** out = src · (base + share · matte), alpha too. */
  weigh(out: Picture, src: Picture, matte: Picture, base: number, share: number): void
  /** out = src / matte, alpha too; `otherwise` where the matte is below 1/1024. */
  unweigh(out: Picture, src: Picture, matte: Picture, otherwise: Picture): void
  /** Replaces NaN and infinities by 0; gives back how many there were. */
  sanitise(picture: Picture): number
  /** Sets every pixel. */
  fill(out: Picture, r: number, g: number, b: number, a: number): void
  /**
   * A gradient, linear between its ends and held beyond them; round ones are measured by the distance from the first. Both ends at one point give
   * the second everywhere.
   */
  gradient(out: Picture, shape: 'line' | 'round', from: GradientEnd, to: GradientEnd): void
}

/** The plain twins. */
export const plainColour = ({ luminance }: WorkingSpace): ColourKernels => ({
  gains(out, src, r, g, b, a) {
    eachValue(out, (i, c) => src.data[i]! * [r, g, b, a][c]!)
  },
  colourMatrix(out, src, matrix, alpha) {
    for (let i = 0; i < out.data.length; i += 4) {
      const [r, g, b, a] = [src.data[i]!, src.data[i + 1]!, src.data[i + 2]!, src.data[i + 3]!]
      for (let c = 0; c < 3; c++)
        out.data[i + c] =
          matrix[c * 4]! * r + matrix[c * 4 + 1]! * g + matrix[c * 4 + 2]! * b + matrix[c * 4 + 3]! * a
      out.data[i + 3] = a * alpha
    }
  },
  brightPass(out, src, { threshold, knee, ceiling, byMost }) {
    for (let i = 0; i < out.data.length; i += 4) {
      const rgb = [src.data[i]!, src.data[i + 1]!, src.data[i + 2]!] as const
      const y = byMost ? Math.max(...rgb) : luminance(...rgb)
      const lit = Math.min(y, ceiling)
      const above = lit - (threshold - knee)
      const passed =
        !(y > 0) || above <= 0 ? 0 : lit < threshold + knee ? above ** 2 / (4 * knee) : lit - threshold
      for (let c = 0; c < 3; c++) out.data[i + c] = y > 0 ? (rgb[c]! * Math.max(0, passed)) / y : 0
      out.data[i + 3] = 0
    }
  },
  weigh(out, src, matte, base, share) {
    eachValue(out, (i, _, p) => src.data[i]! * (base + share * matte.data[p]!))
  },
  unweigh(out, src, matte, otherwise) {
    eachValue(out, (i, _, pixel) =>
      matte.data[pixel]! >= 1 / 1024 ? src.data[i]! / matte.data[pixel]! : otherwise.data[i]!,
    )
  },
  sanitise({ data }) {
    let count = 0
    for (let i = 0; i < data.length; i++)
      if (!Number.isFinite(data[i])) {
        data[i] = 0
        count++
      }
    return count
  },
  fill(out, r, g, b, a) {
    eachValue(out, (_, c) => [r, g, b, a][c]!)
  },
  gradient(out, shape, { at: [x0, y0], value: a }, { at: [x1, y1], value: b }) {
    const [dx, dy] = [x1 - x0, y1 - y0]
    const length = Math.hypot(dx, dy)
    eachValue(out, (i, c) => {
      const [px, py] = [((i >> 2) % out.width) + 0.5 - x0, Math.floor((i >> 2) / out.width) + 0.5 - y0]
      const along = shape === 'line' ? (px * dx + py * dy) / length / length : Math.hypot(px, py) / length
      const t = length === 0 ? 1 : Math.min(1, Math.max(0, along))
      return a[c]! + (b[c]! - a[c]!) * t
    })
  },
})

export const fastColour = ({ run, withFloats, pool, weighAt }: KernelCalls): ColourKernels => ({
  gains: (out, src, r, g, b, a) => {
    run('gains', out, out.at, src.at, r, g, b, a, out.width)
  },
  colourMatrix: (out, src, m, alpha) => {
    const columns = [0, 1, 2, 3].map((c) => [m[c]!, m[4 + c]!, m[8 + c]!, c === 3 ? alpha : 0])
    withFloats(columns.flat(), (at) => {
      run('colourMatrix', out, out.at, src.at, at, out.width)
    })
  },
  brightPass: (out, src, caught) => {
    run('brightPass', out, out.at, src.at, ...caughtNumbers(caught, weighAt), out.width)
  },
  weigh: (out, src, matte, base, share) => {
    run('weigh', out, out.at, src.at, matte.at, base, share, out.width)
  },
  unweigh: (out, src, matte, otherwise) => {
    run('unweigh', out, out.at, src.at, matte.at, otherwise.at, out.width)
  },
  sanitise: (picture) => pool.exports.sanitise(picture.at, picture.data.length),
  fill: (out, r, g, b, a) => {
    run('fill', out, out.at, r, g, b, a, out.width)
  },
  gradient: (out, shape, from, to) => {
    const [dx, dy] = [to.at[0] - from.at[0], to.at[1] - from.at[1]]
    const square = dx * dx + dy * dy
    const value = (end: GradientEnd) => (square === 0 ? to.value : end.value)
    const inverse = square === 0 ? 0 : 1 / square
    withFloats([...value(from), ...to.value.map((v, c) => v - value(from)[c]!)], (at) => {
      run(
        'gradient',
        out,
        out.at,
        at,
        Number(shape === 'round'),
        ...from.at,
        dx * inverse,
        dy * inverse,
        Math.sqrt(inverse),
        out.width,
      )
    })
  },
})

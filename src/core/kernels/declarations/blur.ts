import type { WorkingSpace } from '../../colour/working.ts'
import { type Picture, plainPicture } from '../../picture/picture.ts'
import { type Caught, caughtNumbers, plainColour } from './colour.ts'
import { held } from '../twin-maths.ts'
import type { KernelCalls } from '../kernel-calls.ts'

/** What lies outside a picture when a filter reads there: its edge pixels again, or black without cover. */
export type Edge = 'repeat' | 'black'

/** Value of one channel, by the rule for what lies outside. */
function sample(src: Picture, x: number, y: number, channel: number, edge: Edge): number {
  if (edge === 'black' && (x < 0 || y < 0 || x >= src.width || y >= src.height)) return 0
  return src.data[(held(y, src.height) * src.width + held(x, src.width)) * 4 + channel]!
}

/** Convolves along one axis with a symmetric filter. */
function convolve(out: Picture, src: Picture, weights: readonly number[], dx: number, dy: number): void {
  for (let y = 0; y < out.height; y++)
    for (let x = 0; x < out.width; x++)
      for (let c = 0; c < 4; c++) {
        let sum = sample(src, x, y, c, 'repeat') * weights[0]!
        for (let k = 1; k < weights.length; k++)
          sum +=
            weights[k]! *
            (sample(src, x - k * dx, y - k * dy, c, 'repeat') +
              sample(src, x + k * dx, y + k * dy, c, 'repeat'))
        out.data[(y * out.width + x) * 4 + c] = sum
      }
}

const tap = [1 / 8, 3 / 8, 3 / 8, 1 / 8]

export interface BlurKernels {
  /**
   * `halve`, black outside, of what `brightPass` lets through, in one pass over memory. It may read up to 16 pixels outside; `out`
   * must not be `src`.
   */
  brightHalve(out: Picture, src: Picture, offset: number, caught: Caught): void
  /**
   * Half the size by the separable filter [1 3 3 1]/8: out(x, y) is centred between src(2x + offset) and the next.
   * `out` must not be `src`. One halving adds a variance of 0.75 px².
   */
  halve(out: Picture, src: Picture, offset: number, edge: Edge): void
  /**
   * out = fineWeight · fine + coarseWeight · (coarse at twice its size by a tent); out(offset) lies in coarse(0).
   * `coarse` must not be `out`; pixels outside `coarse` repeat its edge. Adds a variance of 0.75 px² of `out`.
   */
  upAdd(
    out: Picture,
    fine: Picture | undefined,
    coarse: Picture,
    offset: number,
    fineWeight: number,
    coarseWeight: number,
  ): void
  /** [1 6 15 20 15 6 1]/64 along both axes; edges repeat. Adds a variance of 1.5 px². `out` must not be `src`. */
  smooth(out: Picture, src: Picture): void
  /** Convolves rows with a symmetric filter, weights[0] in its middle; edges repeat. `out` must not be `src`. */
  gaussRows(out: Picture, src: Picture, weights: readonly number[]): void
  /** Convolves columns; otherwise as gaussRows. */
  gaussColumns(out: Picture, src: Picture, weights: readonly number[]): void
  /** Mean of factor × factor pixels (fewer at the right and lower edge). For colour, never for data. */
  boxReduce(out: Picture, src: Picture, factor: number): void
}

/** The plain twins. */
export const plainBlur = (space: WorkingSpace): BlurKernels => ({
  brightHalve(out, src, offset, caught) {
    const bright = plainPicture(src.width, src.height)
    plainColour(space).brightPass(bright, src, caught)
    this.halve(out, bright, offset, 'black')
  },
  halve(out, src, offset, edge) {
    for (let y = 0; y < out.height; y++)
      for (let x = 0; x < out.width; x++)
        for (let c = 0; c < 4; c++) {
          let sum = 0
          for (let j = 0; j < 4; j++)
            for (let i = 0; i < 4; i++)
              sum += tap[i]! * tap[j]! * sample(src, 2 * x + offset + i - 1, 2 * y + offset + j - 1, c, edge)
          out.data[(y * out.width + x) * 4 + c] = sum
        }
  },
  upAdd(out, fine, coarse, offset, fineWeight, coarseWeight) {
    for (let y = 0; y < out.height; y++)
      for (let x = 0; x < out.width; x++) {
        const [cx, cy] = [(x - offset) >> 1, (y - offset) >> 1]
        const [nx, ny] = [cx + ((x - offset) & 1 ? 1 : -1), cy + ((y - offset) & 1 ? 1 : -1)]
        for (let c = 0; c < 4; c++) {
          const at = (sx: number, sy: number) => sample(coarse, sx, sy, c, 'repeat')
          const up = 0.5625 * at(cx, cy) + 0.1875 * (at(nx, cy) + at(cx, ny)) + 0.0625 * at(nx, ny)
          const i = (y * out.width + x) * 4 + c
          out.data[i] = coarseWeight * up + (fine ? fineWeight * fine.data[i]! : 0)
        }
      }
  },
  smooth(out, src) {
    const weights = [20 / 64, 15 / 64, 6 / 64, 1 / 64]
    const between = plainPicture(src.width, src.height)
    convolve(between, src, weights, 1, 0)
    convolve(out, between, weights, 0, 1)
  },
  gaussRows: (out, src, weights) => {
    convolve(out, src, weights, 1, 0)
  },
  gaussColumns: (out, src, weights) => {
    convolve(out, src, weights, 0, 1)
  },
  boxReduce(out, src, factor) {
    for (let y = 0; y < out.height; y++)
      for (let x = 0; x < out.width; x++)
        for (let c = 0; c < 4; c++) {
          let [sum, count] = [0, 0]
          for (let sy = y * factor; sy < Math.min(src.height, (y + 1) * factor); sy++)
            for (let sx = x * factor; sx < Math.min(src.width, (x + 1) * factor); sx++, count++)
              sum += src.data[(sy * src.width + sx) * 4 + c]!
          out.data[(y * out.width + x) * 4 + c] = sum / count
        }
  },
})

export const fastBlur = ({ run, withScratch, withFloats, weighAt }: KernelCalls): BlurKernels => ({
  brightHalve: (out, src, offset, caught) => {
    const bytes = 5 * (src.width + 32) * 16
    const sizes = [out.width, src.width, src.height, offset] as const
    withScratch(bytes, (at) => {
      run('brightHalve', out, out.at, src.at, at, bytes, ...sizes, ...caughtNumbers(caught, weighAt))
    })
  },
  halve: (out, src, offset, edge) => {
    run('halve', out, out.at, src.at, out.width, src.width, src.height, offset, Number(edge === 'black'))
  },
  upAdd: (out, fine, coarse, offset, fineWeight, coarseWeight) => {
    const sizes = [out.width, coarse.width, coarse.height, offset] as const
    run('upAdd', out, out.at, fine?.at ?? 0, coarse.at, ...sizes, fineWeight, coarseWeight)
  },
  smooth: (out, src) => {
    const bytes = (src.width + 6) * 16
    withScratch(bytes, (at) => {
      run('smooth', out, out.at, src.at, at, bytes, out.width, out.height)
    })
  },
  gaussRows: (out, src, weights) => {
    withFloats(weights, (at) => {
      run('gaussRows', out, out.at, src.at, at, weights.length - 1, out.width)
    })
  },
  gaussColumns: (out, src, weights) => {
    withFloats(weights, (at) => {
      run('gaussColumns', out, out.at, src.at, at, weights.length - 1, out.width, out.height)
    })
  },
  boxReduce: (out, src, factor) => {
    run('boxReduce', out, out.at, src.at, factor, out.width, src.width, src.height)
  },
})

import type { Affine } from '../../picture/affine.ts'
import type { Picture } from '../../picture/picture.ts'
import type { KernelCalls } from '../kernel-calls.ts'

export const resampleFilters = ['nearest', 'bilinear', 'cubic', 'lanczos'] as const

export type ResampleFilter = (typeof resampleFilters)[number]

const sinc = (x: number) => (x === 0 ? 1 : Math.sin(Math.PI * x) / (Math.PI * x))

/** How far each filter of resampling reaches and its weight at a distance. */
const resampleBy: Record<ResampleFilter, { reach: number; weight: (x: number) => number }> = {
  nearest: { reach: 0, weight: () => 1 },
  bilinear: { reach: 1, weight: (x) => Math.max(0, 1 - Math.abs(x)) },
  cubic: {
    reach: 2,
    weight: (x) => {
      const a = Math.abs(x)
      if (a < 1) return (1.5 * a - 2.5) * a * a + 1
      return a < 2 ? ((-0.5 * a + 2.5) * a - 4) * a + 2 : 0
    },
  },
  lanczos: { reach: 3, weight: (x) => (Math.abs(x) < 3 ? sinc(x) * sinc(x / 3) : 0) },
}

export interface ResampleKernels {
  /**
   * out(x, y) = src where `back` takes the pixel's centre, found between pixels by the filter: cubic is Catmull–Rom, Lanczos has
   * three lobes. Where the picture gets smaller the filter grows with it. Beyond `src` is empty. `out` must not be `src`.
   */
  resample(out: Picture, src: Picture, back: Affine, filter: ResampleFilter): void
}

/** The plain twins. */
export const plainResample: ResampleKernels = {
  resample(out, src, [a, b, c, d, e, f], filter) {
    const [su, sv] = [Math.max(1, Math.hypot(a, b)), Math.max(1, Math.hypot(d, e))]
    const { reach, weight } = resampleBy[filter]
    for (let y = 0; y < out.height; y++)
      for (let x = 0; x < out.width; x++) {
        const [u, v] = [a * (x + 0.5) + b * (y + 0.5) + c, d * (x + 0.5) + e * (y + 0.5) + f]
        const sums = [0, 0, 0, 0]
        let total = 0
        const add = (sx: number, sy: number, w: number) => {
          total += w
          if (sx < 0 || sy < 0 || sx >= src.width || sy >= src.height) return
          for (let k = 0; k < 4; k++) sums[k]! += w * src.data[(sy * src.width + sx) * 4 + k]!
        }
        if (filter === 'nearest') add(Math.floor(u), Math.floor(v), 1)
        else
          for (let sy = Math.ceil(v - reach * sv - 0.5); sy <= Math.floor(v + reach * sv - 0.5); sy++)
            for (let sx = Math.ceil(u - reach * su - 0.5); sx <= Math.floor(u + reach * su - 0.5); sx++)
              add(sx, sy, weight((sx + 0.5 - u) / su) * weight((sy + 0.5 - v) / sv))
        for (let k = 0; k < 4; k++) out.data[(y * out.width + x) * 4 + k] = total === 0 ? 0 : sums[k]! / total
      }
  },
}

export const fastResample = ({ run }: KernelCalls): ResampleKernels => ({
  resample: (out, src, back, filter) => {
    run(
      'resample',
      out,
      out.at,
      src.at,
      ...back,
      resampleFilters.indexOf(filter),
      src.width,
      src.height,
      out.width,
    )
  },
})

import type { Picture, Rgb } from '../../picture/picture.ts'
import { eachValue } from '../twin-maths.ts'
import type { KernelCalls } from '../kernel-calls.ts'

/** The two halves of a filter, as real transforms one under the other: what is taken of each. */
export type FilterShares = readonly [near: number, far: number]

export interface FourierKernels {
  /**
   * Fourier transform of a picture whose sides are 2ⁿ, 3 · 2ⁿ or 5 · 2ⁿ, in place: each pixel is two complex numbers, red + i·green and
   * blue + i·alpha. Not scaled either way: there and back multiplies by the number of pixels.
   */
  fourier(data: Picture, isInverse: boolean): void
  /**
   * `src`, black outside, through symmetric filters: their real transforms, `filter`, of one channel, lie one under the other, and the sum of
   * both by their shares is taken. Red, green and blue of what comes out are multiplied by `gain` and put into `out`, or added to it; its alpha
   * is 0, or stays. `plane` has the size of the transform, at least that of `src`, and is overwritten; not scaled.
   */
  filterBy(
    out: Picture,
    src: Picture,
    filter: Picture,
    plane: Picture,
    shares: FilterShares,
    gain: Rgb,
    isAdded: boolean,
  ): void
}

/** The plain twins. */
export const plainFourier: FourierKernels = {
  fourier(data, isInverse) {
    // The sums of the definition, along rows and then along columns.
    const { width, height } = data
    const pass = (n: number, lines: number, at: (line: number, i: number) => number) => {
      for (let line = 0; line < lines; line++)
        for (const part of [0, 2]) {
          const values = Array.from({ length: n }, (_, i) => [
            data.data[at(line, i) + part]!,
            data.data[at(line, i) + part + 1]!,
          ])
          for (let k = 0; k < n; k++) {
            let [re, im] = [0, 0]
            for (const [i, [x, y]] of values.entries() as IterableIterator<[number, [number, number]]>) {
              const angle = ((isInverse ? 2 : -2) * Math.PI * i * k) / n
              re += x * Math.cos(angle) - y * Math.sin(angle)
              im += x * Math.sin(angle) + y * Math.cos(angle)
            }
            data.data[at(line, k) + part] = re
            data.data[at(line, k) + part + 1] = im
          }
        }
    }
    pass(width, height, (y, x) => (y * width + x) * 4)
    pass(height, width, (x, y) => (y * width + x) * 4)
  },
  filterBy(out, src, filter, plane, [near, far], gain, isAdded) {
    const pixels = plane.width * plane.height
    plane.data.fill(0)
    for (let y = 0; y < src.height; y++)
      plane.data.set(src.data.subarray(y * src.width * 4, (y + 1) * src.width * 4), y * plane.width * 4)
    this.fourier(plane, false)
    eachValue(plane, (i, _, p) => plane.data[i]! * (near * filter.data[p]! + far * filter.data[pixels + p]!))
    this.fourier(plane, true)
    eachValue(out, (i, c, p) => {
      const from = (Math.floor(p / out.width) * plane.width + (p % out.width)) * 4 + c
      return (isAdded ? out.data[i]! : 0) + (c === 3 ? 0 : plane.data[from]! * gain[c]!)
    })
  },
}

/** cos and sin of −2πk/n, or of 2πk/n for the way back. */
const twiddles = (n: number, isInverse: boolean) =>
  Float32Array.from({ length: 2 * n }, (_, i) => {
    const angle = ((isInverse ? 2 : -2) * Math.PI * (i >> 1)) / n
    return i & 1 ? Math.sin(angle) : Math.cos(angle)
  })

export const fastFourier = ({ withScratch, withFloats, pool }: KernelCalls): FourierKernels => {
  /** Strips of four columns, twice, or a row; and where each value goes. */
  const scratchFor = ({ width, height }: Picture) => Math.max(width * 20, height * 132)
  const alongRows = (data: Picture, src: Picture, isInverse: boolean) => {
    const bytes = scratchFor(data)
    withScratch(bytes, (scratch) => {
      withFloats(twiddles(data.width, isInverse), (at) => {
        const args = [data.at, src.at, src.width, scratch, bytes, at, Number(isInverse), data.width] as const
        pool.run('fourierRows', args, src.height, data.width * 4)
      })
    })
  }
  return {
    fourier: (data, isInverse) => {
      const { width, height } = data
      const bytes = scratchFor(data)
      if (!isInverse) alongRows(data, data, false)
      withScratch(bytes, (scratch) => {
        withFloats(twiddles(height, isInverse), (at) => {
          const args = [data.at, scratch, bytes, at, Number(isInverse), width, height] as const
          pool.run('fourierColumns', args, Math.ceil(width / 4), height * 16)
        })
      })
      if (isInverse) alongRows(data, data, true)
    },
    filterBy: (out, src, filter, plane, shares, [red, green, blue], isAdded) => {
      const { width, height } = plane
      const bytes = scratchFor(plane)
      alongRows(plane, src, false)
      withScratch(bytes, (scratch) => {
        withFloats(twiddles(height, false), (ahead) => {
          withFloats(twiddles(height, true), (back) => {
            const args = [
              plane.at,
              filter.at,
              ...shares,
              src.height,
              scratch,
              bytes,
              ahead,
              back,
              width,
              height,
            ] as const
            pool.run('filterColumns', args, Math.ceil(width / 4), height * 16)
          })
        })
        withFloats(twiddles(width, true), (at) => {
          const args = [
            out.at,
            plane.at,
            scratch,
            bytes,
            at,
            red,
            green,
            blue,
            Number(isAdded),
            out.width,
            width,
          ] as const
          pool.run('fourierBack', args, out.height, width * 4)
        })
      })
    },
  }
}

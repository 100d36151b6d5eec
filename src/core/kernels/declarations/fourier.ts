import type { Picture } from '../../picture/picture.ts'
import { eachValue } from '../twin-maths.ts'
import type { KernelCalls } from '../kernel-calls.ts'

export interface FourierKernels {
  /**
   * Fourier transform of a picture whose sides are powers of two, in place: each pixel is two complex numbers, red + i·green and
   * blue + i·alpha. Not scaled either way: there and back multiplies by the number of pixels. The inverse makes the first `rows` rows
   * alone, where they are all that is wanted.
   */
  fourier(data: Picture, isInverse: boolean, rows?: number): void
  /** Multiplies a transform by that of symmetric filters: near is in the red of `spectrum`, far in its blue. */
  filterSpectrum(data: Picture, spectrum: Picture, which: 'near' | 'far' | 'both'): void
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
  filterSpectrum(data, spectrum, which) {
    eachValue(data, (i, c) => {
      const [near, far] = [spectrum.data[i - c]!, spectrum.data[i - c + 2]!]
      return data.data[i]! * ((which === 'far' ? 0 : near) + (which === 'near' ? 0 : far))
    })
  },
}

export const fastFourier = ({ run, withScratch, withFloats, pool }: KernelCalls): FourierKernels => ({
  fourier: (data, isInverse, rows = data.height) => {
    const { width, height } = data
    const twiddles = (n: number) =>
      Array.from({ length: n }, (_, i) => {
        const angle = ((isInverse ? 2 : -2) * Math.PI * (i >> 1)) / n
        return i & 1 ? Math.sin(angle) : Math.cos(angle)
      })
    const bytes = Math.max(width * 20, height * 68)
    const way = Number(isInverse)
    withScratch(bytes, (scratch) => {
      const alongRows = (count: number) => {
        withFloats(twiddles(width), (at) => {
          pool.run('fourierRows', [data.at, scratch, bytes, at, way, width], count, width * 4)
        })
      }
      if (!isInverse) alongRows(height)
      withFloats(twiddles(height), (at) => {
        const args = [data.at, scratch, bytes, at, way, width, height] as const
        pool.run('fourierColumns', args, Math.ceil(width / 4), height * 16)
      })
      if (isInverse) alongRows(rows)
    })
  },
  filterSpectrum: (data, spectrum, which) => {
    const [near, far] = { near: [1, 0], far: [0, 1], both: [1, 1] }[which] as [number, number]
    run('filterSpectrum', data, data.at, spectrum.at, near, far, data.width)
  },
})

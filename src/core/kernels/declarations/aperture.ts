import type { Picture } from '../../picture/picture.ts'
import { held, eachValue } from '../twin-maths.ts'
import type { KernelCalls } from '../kernel-calls.ts'

/** A run of pixels of an area about a pixel: in which row, where it begins and ends from the left edge of the pixel, its weight. */
export type Run = readonly [row: number, from: number, to: number, weight: number]

export interface ApertureKernels {
  /** Sums along rows, from the first pixel on; one or four channels. */
  rowSums(out: Picture, src: Picture): void
  /** The sum over an area about each pixel, from sums of rowSums; beyond the picture its edge goes on. `out` is not `sums`. */
  sumOfRuns(out: Picture, sums: Picture, runs: readonly Run[]): void
  /**
   * Takes a layer out of a picture whose pixels are placed between layers, at k where all of one lies in layer k. Four channels: each pixel by
   * its share in layer `at`, max(0, 1 − |place − at|). One channel: its share in that layer or behind, 1 − (place − at) held in 0–1.
   */
  slice(out: Picture, src: Picture, places: Picture, at: number): void
  /**
   * Lays a blurred layer over what is behind it. It is divided by `seen`, how much about a pixel was to be seen of what lies as far as it or
   * farther; where next to nothing was, `out` stays. `known` says how far `out` is a picture, 0–1.
   */
  layOver(out: Picture, known: Picture, layer: Picture, seen: Picture): void
}

/** The plain twins. */
export const plainAperture: ApertureKernels = {
  rowSums(out, src) {
    const { width, channels } = src
    for (let c = 0; c < channels; c++)
      for (let y = 0; y < src.height; y++) {
        let sum = 0
        for (let x = 0; x < width; x++) {
          const i = (y * width + x) * channels + c
          sum += src.data[i]!
          out.data[i] = sum
        }
      }
  },
  sumOfRuns(out, sums, runs) {
    const { width, height, channels } = sums
    const value = (x: number, y: number, c: number) => {
      const at = (held(y, height) * width + held(x, width)) * channels + c
      return sums.data[at]! - (held(x, width) > 0 ? sums.data[at - channels]! : 0)
    }
    eachValue(out, (_, c, pixel) => {
      const [x, y] = [pixel % width, Math.floor(pixel / width)]
      let sum = 0
      for (const [row, from, to, weight] of runs)
        for (let i = Math.floor(from); i < to; i++)
          sum += weight * value(x + i, y + row, c) * (Math.min(to, i + 1) - Math.max(from, i))
      return sum
    })
  },
  slice(out, src, places, at) {
    eachValue(out, (i, _, pixel) => {
      const from = places.data[pixel]! - at
      return out.channels === 1
        ? Math.min(1, Math.max(0, 1 - from))
        : src.data[i]! * Math.max(0, 1 - Math.abs(from))
    })
  },
  layOver(out, known, layer, seen) {
    for (let i = 0; i < seen.data.length; i++) {
      const share = seen.data[i]!
      if (!(share > 0.0005)) continue
      const cover = Math.min(1, Math.max(0, layer.data[i * 4 + 3]! / share))
      const trust = Math.min(1, share * 64)
      for (let c = 0; c < 4; c++) {
        const behind = out.data[i * 4 + c]!
        const whole = layer.data[i * 4 + c]! / share + behind * (1 - cover)
        out.data[i * 4 + c] = whole * trust + behind * (1 - trust)
      }
      known.data[i] = trust + (1 - trust) * known.data[i]!
    }
  },
}

export const fastAperture = ({ run, withFloats, pool }: KernelCalls): ApertureKernels => ({
  rowSums: (out, src) => {
    run('rowSums', out, out.at, src.at, src.channels, src.width)
  },
  sumOfRuns: (out, sums, runs) => {
    withFloats(runs.flat(), (at) => {
      const args = [out.at, sums.at, sums.channels, at, runs.length, sums.width, sums.height] as const
      pool.run('sumOfRuns', args, out.height, out.width * sums.channels * runs.length)
    })
  },
  slice: (out, src, places, at) => {
    run('slice', out, out.at, src.at, places.at, at, out.channels, out.width)
  },
  layOver: (out, known, layer, seen) => {
    run('layOver', out, out.at, known.at, layer.at, seen.at, out.width)
  },
})

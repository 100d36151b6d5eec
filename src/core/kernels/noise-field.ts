import type { Picture } from '../picture/picture.ts'
import type { Kernels } from './kernels.ts'

/**
 * Fills a picture of one channel with slow noise, about −1 … 1: octaves of gradient noise, each half as wide and half as strong.
 *
 * size    pixels from swathe to swathe, > 0      time  counts changes      drift  pixels that it has moved right and down
 */
export function noiseField(
  out: Picture,
  {
    size,
    octaves,
    time,
    drift,
  }: {
    readonly size: number
    readonly octaves: number
    readonly time: number
    readonly drift: readonly [number, number]
  },
  kernels: Kernels,
): void {
  const parts = Array.from({ length: octaves }, (_, o) => {
    const frequency = 2 ** o / size
    return {
      frequency,
      from: [17 * o - drift[0] * frequency, -drift[1] * frequency, time + 5 * o] as const,
      value: [2 ** -o, 0] as const,
      slopes: [0, 0] as const,
    }
  })
  // Pixels count from their corner, not from their middle.
  kernels.noiseWay({ right: out }, parts, [-0.5, -0.5])
}

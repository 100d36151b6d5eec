import type { Picture } from '../picture/picture.ts'
import { noise3 } from './noise.ts'

/**
 * Fills a picture of one channel with slow noise, about −1 … 1: octaves of gradient noise, each half as wide and half as strong. What is
 * wide is computed on a coarser grid and runs evenly between its points.
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
): void {
  const { width, height, data } = out
  const cell = Math.max(1, Math.floor(size / 2 ** (octaves - 1) / 8))
  const [columns, rows] = [Math.ceil(width / cell) + 2, Math.ceil(height / cell) + 2]
  const grid = new Float32Array(columns * rows)
  for (let j = 0; j < rows; j++)
    for (let i = 0; i < columns; i++) {
      const [x, y] = [(i * cell - drift[0]) / size, (j * cell - drift[1]) / size]
      let sum = 0
      for (let o = 0; o < octaves; o++) sum += noise3(x * 2 ** o + 17 * o, y * 2 ** o, time + 5 * o) / 2 ** o
      grid[j * columns + i] = sum
    }
  for (let y = 0; y < height; y++) {
    const row = Math.floor(y / cell)
    const down = y / cell - row
    for (let x = 0; x < width; x++) {
      const column = Math.floor(x / cell)
      const across = x / cell - column
      const at = row * columns + column
      const above = grid[at]! + (grid[at + 1]! - grid[at]!) * across
      const below = grid[at + columns]! + (grid[at + columns + 1]! - grid[at + columns]!) * across
      data[y * width + x] = above + (below - above) * down
    }
  }
}

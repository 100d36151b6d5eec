import type { Picture } from '../../picture/picture.ts'
import type { KernelCalls } from '../kernel-calls.ts'
import { noise3, noiseSlopes } from '../noise.ts'
import { eachValue } from '../twin-maths.ts'

/** One part of a field of ways: gradient noise on a lattice, and where it leads. */
export interface NoisePart {
  /** Steps of the lattice in a pixel, > 0. */
  readonly frequency: number
  /** Where the lattice begins; the third is time. */
  readonly from: readonly [number, number, number]
  /** How many pixels right and down the noise itself goes. */
  readonly value: readonly [number, number]
  /** How many pixels its slope downwards goes right, and its slope to the right goes down. */
  readonly slopes: readonly [number, number]
}

/** What lies beyond the edge of a picture: nothing, the edge's own pixels, or the picture mirrored. */
export const warpEdges = ['empty', 'stretched', 'mirrored'] as const
export type WarpEdge = (typeof warpEdges)[number]

/** Where pixels go: how far to the right, and how far down, in pixels. Two pictures of one channel. */
export interface Ways {
  readonly right: Picture
  readonly down: Picture
}

export interface WarpKernels {
  /**
   * Ways by noise, the sum of its parts. Pixel (0, 0) of `out` is pixel `corner` of the frame. Without a picture for what goes down, no part may
   * lead there.
   */
  noiseWay(
    out: Pick<Ways, 'right'> & Partial<Ways>,
    parts: readonly NoisePart[],
    corner: readonly [number, number],
  ): void
  /**
   * Every pixel of `src` goes its way: out(p) = src(p − way(p) · (1 − hold(p))), between pixels by Catmull–Rom. Where
   * the picture is squeezed the filter grows with it, from a fifth on and to 16 times its width. `out` is not `src`.
   */
  warp(out: Picture, src: Picture, ways: Ways, hold: Picture | undefined, edge: WarpEdge): void
}

const cubic = (x: number) => {
  const a = Math.abs(x)
  if (a < 1) return (1.5 * a - 2.5) * a * a + 1
  return a < 2 ? ((-0.5 * a + 2.5) * a - 4) * a + 2 : 0
}

/** The pixel that counts at a place of a row of n; undefined for none. */
function edged(i: number, n: number, edge: WarpEdge): number | undefined {
  if (i >= 0 && i < n) return i
  if (edge === 'empty') return undefined
  if (edge === 'stretched') return i < 0 ? 0 : n - 1
  const m = ((i % (2 * n)) + 2 * n) % (2 * n)
  return m < n ? m : 2 * n - 1 - m
}

/** The plain twins. */
export const plainWarp: WarpKernels = {
  noiseWay(out, parts, corner) {
    const { width, height } = out.right
    for (let i = 0; i < width * height; i++) {
      let [dx, dy] = [0, 0]
      for (const { frequency, from, value, slopes } of parts) {
        const x = ((i % width) + 0.5 + corner[0]) * frequency + from[0]
        const y = (Math.floor(i / width) + 0.5 + corner[1]) * frequency + from[1]
        const n = noise3(x, y, from[2])
        const [, across, down] = noiseSlopes(x, y, from[2])
        dx += value[0] * n + slopes[0] * down
        dy += value[1] * n + slopes[1] * across
      }
      out.right.data[i] = dx
      if (out.down) out.down.data[i] = dy
    }
  },
  warp(out, src, ways, hold, edge) {
    const { width, height } = src
    const way = (x: number, y: number) =>
      [ways.right, ways.down].map(
        ({ data }) => data[y * width + x]! * (1 - (hold?.data[y * width + x] ?? 0)),
      ) as [number, number]
    /** How a way changes by one step right or down, from the neighbour that there is. */
    const change = (x: number, y: number, c: 0 | 1, right: boolean) => {
      const here = way(x, y)[c]
      if ((right ? width : height) === 1) return 0
      if (right) return x + 1 < width ? way(x + 1, y)[c] - here : here - way(x - 1, y)[c]
      return y + 1 < height ? way(x, y + 1)[c] - here : here - way(x, y - 1)[c]
    }
    const wide = (a: number, b: number) => Math.min(16, Math.max(1, 0.8 * Math.hypot(a, b)))
    eachValue(out, (_, c, p) => {
      const [x, y] = [p % width, Math.floor(p / width)]
      const [dx, dy] = way(x, y)
      const [u, v] = [x + 0.5 - dx, y + 0.5 - dy]
      const su = wide(1 - change(x, y, 0, true), change(x, y, 0, false))
      const sv = wide(change(x, y, 1, true), 1 - change(x, y, 1, false))
      let [sum, totalX, totalY] = [0, 0, 0]
      const columns = Array.from(
        { length: Math.floor(u + 2 * su - 0.5) - Math.ceil(u - 2 * su - 0.5) + 1 },
        (_, k) => Math.ceil(u - 2 * su - 0.5) + k,
      )
      for (const sx of columns) totalX += cubic((sx + 0.5 - u) / su)
      for (let sy = Math.ceil(v - 2 * sv - 0.5); sy <= Math.floor(v + 2 * sv - 0.5); sy++) {
        const wy = cubic((sy + 0.5 - v) / sv)
        totalY += wy
        const ey = edged(sy, height, edge)
        if (ey === undefined) continue
        for (const sx of columns) {
          const ex = edged(sx, width, edge)
          if (ex !== undefined) sum += wy * cubic((sx + 0.5 - u) / su) * src.data[(ey * width + ex) * 4 + c]!
        }
      }
      return sum / (totalX * totalY)
    })
  },
}

export const fastWarp = ({ run, withScratch, withDoubles }: KernelCalls): WarpKernels => ({
  noiseWay: ({ right, down }, parts, corner) => {
    const numbers = parts.flatMap(({ frequency, from, value, slopes }) => [
      frequency,
      ...from,
      ...value,
      ...slopes,
    ])
    withDoubles(numbers, (at) => {
      run('noiseWay', right, right.at, (down ?? right).at, at, parts.length, ...corner, right.width)
    })
  },
  warp: (out, src, { right, down }, hold, edge) => {
    const bytes = 80 * 4
    withScratch(bytes, (scratch) => {
      const at = [out.at, src.at, right.at, down.at, hold?.at ?? 0, scratch, bytes] as const
      run('warp', out, ...at, warpEdges.indexOf(edge), src.width, src.height)
    })
  },
})

import type { Picture } from '../../picture/picture.ts'
import { held } from '../twin-maths.ts'
import type { KernelCalls } from '../kernel-calls.ts'

/** Signed distances from and to which they matter, in pixels. */
export type DistanceRange = readonly [from: number, to: number]

/** The distances that the edge of a matte needs which is grown by `spread` and `soft` pixels wide, those of neighbours with them. */
export const edgeRange = (spread: number, soft: number): DistanceRange => {
  // A hard edge that is slanted reaches 0.71 px to either side, and its direction takes neighbours, up to 1 px farther from it.
  const side = soft < 2 ? Math.max(soft / 2, 0.75) + 1.05 : soft / 2
  return [spread - side, spread + side]
}

/** How much of a pixel lies inside of a straight edge `outside` pixels within its middle; nx, ny ≥ 0 is its direction, of length 1. */
function halfPlaneCover(nx: number, ny: number, outside: number): number {
  // The area of x · nx + y · ny ≤ −outside in a unit square about the middle, by what the four corners cut off.
  const square = (v: number) => Math.max(0, v) ** 2
  const from = -outside + (nx + ny) / 2
  if (Math.min(nx, ny) < 1e-9) return Math.min(1, Math.max(0, from / Math.max(nx, ny)))
  const covered = square(from) - square(from - nx) - square(from - ny) + square(from - nx - ny)
  return Math.min(1, Math.max(0, covered / (2 * nx * ny)))
}

/** No two pixels are farther apart. */
const farthestPixel = 40_000

export interface DistanceKernels {
  /**
   * Signed distance of the middle of each pixel to the edge of a shape, in pixels, negative inside; one channel both. Inside is where the matte
   * is 0.5 or more. A pixel that is covered in part has a straight edge of that cover through it, across the gradient of cover; between pixels
   * that are covered wholly and not at all it runs half way. ±1e9 where there is no
   * edge. What does not lie `within` the two distances may be given as ±1e9, too: near edges alone are quick. `out` is not `src`.
   * Source: Gustavson and Strand 2011, Anti-aliased Euclidean distance transform.
   */
  distance(out: Picture, src: Picture, within?: DistanceRange): void
  /**
   * Cover of a shape grown by `spread` pixels (shrunk below 0), whose edge is `soft` pixels wide, from its distances. An edge of 1 pixel (or less)
   * covers what a straight edge does that lies across the way in which distance grows; one of 2 or more is a straight ramp; between, between.
   * `out` is not `distance`.
   */
  edge(out: Picture, distance: Picture, spread: number, soft: number): void
}

/** The plain twins. */
export const plainDistance: DistanceKernels = {
  distance(out, src) {
    const { width, height } = src
    const cover = (x: number, y: number) =>
      Math.min(1, Math.max(0, src.data[held(y, height) * width + held(x, width)]!))
    const isIn = (x: number, y: number) => cover(x, y) >= 0.5
    /** The straight edge through a pixel: outward direction, and how far the pixel's middle lies outside of it. */
    const lineAt = (x: number, y: number): readonly [number, number, number] | undefined => {
      const a = cover(x, y)
      if (!(a > 0 && a < 1)) return undefined
      const bell = (i: number) => [1, 0.5394, 0.0847][Math.abs(i)]!
      let [gx, gy] = [0, 0]
      for (let j = -2; j <= 2; j++)
        for (let i = -2; i <= 2; i++) {
          const v = cover(x + i, y + j) * bell(i) * bell(j)
          gx -= v * i
          gy -= v * j
        }
      const length = Math.hypot(gx, gy)
      if (!(length > 0.001)) return undefined
      const [nx, ny] = [gx / length, gy / length]
      // Cover falls as the edge moves in: the place of the edge for this cover is found by halving.
      let [low, high] = [-1, 1]
      for (let i = 0; i < 40; i++) {
        const mid = (low + high) / 2
        if (halfPlaneCover(Math.abs(nx), Math.abs(ny), mid) > a) low = mid
        else high = mid
      }
      return [nx, ny, low]
    }
    const pixels = Array.from(
      { length: width * height },
      (_, i) => [i % width, Math.floor(i / width)] as const,
    )
    const lines = pixels.flatMap(([x, y]) => {
      const line = lineAt(x, y)
      return line ? [{ x, y, line }] : []
    })
    for (const [i, [x, y]] of pixels.entries()) {
      const [a, inside] = [cover(x, y), isIn(x, y)]
      if (a > 0 && a < 1) {
        out.data[i] = lineAt(x, y)?.[2] ?? 0.5 - a
        continue
      }
      const sign = inside ? -1 : 1
      let best = Infinity
      for (const {
        x: cx,
        y: cy,
        line: [nx, ny, own],
      } of lines) {
        const across = sign * (nx * (x - cx) + ny * (y - cy) + own)
        const over = Math.max(0, Math.abs(nx * (y - cy) - ny * (x - cx)) - 0.6)
        if (across >= 0) best = Math.min(best, Math.hypot(across, over))
      }
      // Between pixels that are covered wholly and not at all.
      const other = inside ? 0 : 1
      let [nearest, asCovered] = [Infinity, Infinity]
      for (const [px, py] of pixels) {
        if (isIn(px, py) === inside) continue
        const whole = Math.hypot(px - x, py - y)
        const [bx, by] = [px, py].map((p, k) => p + Math.floor(([x, y][k]! - p) / whole + 0.5)) as [
          number,
          number,
        ]
        const isThere = (bx !== x || by !== y) && bx >= 0 && by >= 0 && bx < width && by < height
        const next = isThere ? cover(bx, by) : 1 - other
        if (cover(px, py) === other && next === 1 - other) best = Math.min(best, whole - 0.5)
        if (whole >= nearest) continue
        nearest = whole
        asCovered = whole + 0.5 - Math.abs(cover(px, py) + next - 2 * (1 - other))
      }
      // No edge that has a direction: how much the two are covered says where it is.
      out.data[i] = sign * Math.min(best < Infinity ? best : asCovered, 1e9)
    }
  },
  edge(out, distance, spread, soft) {
    const { width, height } = out
    const at = (x: number, y: number) => distance.data[held(y, height) * width + held(x, width)]!
    for (let y = 0; y < height; y++)
      for (let x = 0; x < width; x++) {
        const right = (at(x + 1, y) - at(x - 1, y)) / (x > 0 && x < width - 1 ? 2 : 1)
        const down = (at(x, y + 1) - at(x, y - 1)) / (y > 0 && y < height - 1 ? 2 : 1)
        const grows = Math.hypot(right, down)
        // Where the way is unclear, in the middle of a shape, the edge is taken as upright.
        const isClear = grows > 0.5 && grows < 2
        const ways = isClear ? [Math.abs(right) / grows, Math.abs(down) / grows] : [1, 0]
        const wider = Math.min(1, Math.max(0, soft - 1))
        const long = Math.max(...ways) + (Math.max(soft, 1) - Math.max(...ways)) * wider
        out.data[y * width + x] = halfPlaneCover(long, Math.min(...ways) * (1 - wider), at(x, y) - spread)
      }
  },
}

export const fastDistance = ({ run, withBytes, withScratch, pool }: KernelCalls): DistanceKernels => ({
  distance: (out, src, [from, to] = [-Infinity, Infinity]) => {
    const { width, height } = src
    // The edge lies up to two pixels from the middle of the nearest pixel of the other side.
    const reaches = [to > -0.5 ? to : -Infinity, from < 0.5 ? -from : -Infinity].map((reach) =>
      reach === -Infinity ? -1 : Math.ceil(Math.min(farthestPixel, Math.max(0, reach) + 2)),
    )
    const bytes = width * 12
    withBytes(width * height * 16, (lines) => {
      run('edgeLines', out, lines, src.at, width, height)
      withBytes(width * height * 4, (nearest) => {
        withScratch(bytes, (scratch) => {
          for (const [outside, reach] of reaches.entries()) {
            const columns = [nearest, src.at, outside, width, height] as const
            if (reach >= 0) pool.run('nearestInColumns', columns, Math.ceil(width / 16), height * 16)
            run(
              'distanceRows',
              out,
              out.at,
              src.at,
              lines,
              nearest,
              scratch,
              bytes,
              outside,
              reach,
              width,
              height,
            )
          }
        })
      })
    })
  },
  edge: (out, distance, spread, soft) => {
    run('edge', out, out.at, distance.at, spread, soft, out.width, out.height)
  },
})

import type { Picture } from '../../picture/picture.ts'
import type { KernelCalls } from '../kernel-calls.ts'
import { eachValue, held } from '../twin-maths.ts'

/** Pixels on a side of a tile, and ways of movement that are told apart in one. */
export const tileSize = 16
export const tileWaysMost = 4
/** Numbers of a tile: how many ways, the least and the most of x and of y, and the ways. */
export const tileEntry = 5 + 2 * tileWaysMost

/** When light comes in, in frames from this one, and how much more in the middle of that time than at its ends (0 – 1). */
export interface Opening {
  readonly from: number
  readonly to: number
  readonly peak: number
}

type Way = readonly [x: number, y: number]

/**
 * Ways of movement that may reach each tile. `entries` has three numbers for each, row by row: the first of its ways, how many there are, and
 * 1 where all pixels that may come go nearly one way, so that none crosses another. `ways` has x and y of each.
 */
export interface TileLists {
  readonly entries: Int32Array
  readonly ways: Float32Array
}

export interface SmearKernels {
  /** out = a + b times a weight for each channel; without `a` the share of b alone. */
  addWeighted(
    out: Picture,
    a: Picture | undefined,
    b: Picture,
    weights: readonly [number, number, number, number],
  ): void
  /** A motion pass (red right, green down) times a scale as ways, held to `longest` pixels; those that are no numbers are 0. */
  holdWays(out: Picture, motion: Picture, scale: number, longest: number): void
  /**
   * Ways of movement (pixels a frame, right and down) in tiles of 16 × 16 pixels: how many, their range, and up to four ways that differ
   * by more than a pixel and an eighth over `reach` frames; pixels of nothing do not count. `out` takes 13 numbers a tile.
   */
  tileWays(out: Float32Array, ways: Picture, src: Picture, reach: number): void
  /**
   * What the picture is on the mean over a time, each pixel moving straight on by its way (of holdWays). In simple tiles it is the mean along that
   * way. Else, at each moment, the surfaces that come to be at a pixel are looked for along the ways of its tile and its own, and laid over
   * each other by depth (the faster in front where there is none); where none comes, what is behind is taken. `out` is not `src`.
   */
  smear(
    out: Picture,
    src: Picture,
    ways: Picture,
    depth: Picture | undefined,
    lists: TileLists,
    opening: Opening,
  ): void
}

/** Two ways of movement are one within a pixel over the whole time, or an eighth of their length. */
export const isNear = (ax: number, ay: number, bx: number, by: number, reach: number): boolean => {
  const far = ((ax - bx) * (ax - bx) + (ay - by) * (ay - by)) * reach * reach
  if (far <= 1) return true
  return far <= Math.max(ax * ax + ay * ay, bx * bx + by * by) * reach * reach * 0.015625
}

const wayAt = ({ data }: Picture, i: number): Way => [data[i * 4]!, data[i * 4 + 1]!]
const isNothing = ({ data }: Picture, i: number) => [0, 1, 2, 3].every((c) => Object.is(data[i * 4 + c], 0))

/** A colour between the centres of pixels; beyond the edge its pixels repeat. */
function between(src: Picture, u: number, v: number): number[] {
  const [x, y] = [Math.floor(u), Math.floor(v)]
  const at = (sx: number, sy: number, c: number) =>
    src.data[(held(sy, src.height) * src.width + held(sx, src.width)) * 4 + c]!
  return [0, 1, 2, 3].map((c) => {
    const [top, low] = [y, y + 1].map(
      (row) => at(x, row, c) + (at(x + 1, row, c) - at(x, row, c)) * (u - x),
    ) as [number, number]
    return top + (low - top) * (v - y)
  })
}

/** The plain twins. */
export const plainSmear: SmearKernels = {
  addWeighted(out, a, b, weights) {
    eachValue(out, (i, c) => (a ? a.data[i]! : 0) + b.data[i]! * weights[c]!)
  },
  holdWays(out, motion, scale, longest) {
    eachValue(out, (i, c, p) => {
      const [x, y] = wayAt(motion, p).map((v) => v * scale) as [number, number]
      const length = Math.hypot(x, y)
      if (c > 1 || !Number.isFinite(Math.fround(length * length))) return 0
      return [x, y][c]! * Math.min(1, longest / Math.max(length, 1e-30))
    })
  },
  tileWays(out, ways, src, reach) {
    const { width, height } = src
    const columns = Math.ceil(width / tileSize)
    for (let t = 0; t < columns * Math.ceil(height / tileSize); t++) {
      const kept: Way[] = []
      const all: Way[] = []
      const [left, top] = [(t % columns) * tileSize, Math.floor(t / columns) * tileSize]
      for (let y = top; y < Math.min(height, top + tileSize); y++)
        for (let x = left; x < Math.min(width, left + tileSize); x++) {
          if (isNothing(src, y * width + x)) continue
          const way = wayAt(ways, y * width + x)
          all.push(way)
          if (kept.length < tileWaysMost && !kept.some((w) => isNear(...way, ...w, reach))) kept.push(way)
        }
      const range = [0, 1].flatMap((c) => {
        const values = all.map((w) => w[c]!)
        return values.length === 0 ? [0, 0] : [Math.min(...values), Math.max(...values)]
      })
      out.set([kept.length, ...range, ...kept.flat()], t * tileEntry)
    }
  },
  smear(out, src, ways, depth, lists, { from, to, peak }) {
    const { width, height } = src
    const columns = Math.ceil(width / tileSize)
    const reach = Math.max(Math.abs(from), Math.abs(to))
    const under = (u: number, v: number) => held(Math.floor(v), height) * width + held(Math.floor(u), width)
    for (let i = 0; i < width * height; i++) {
      const [x, y] = [(i % width) + 0.5, Math.floor(i / width) + 0.5]
      const tile = Math.floor(y / tileSize) * columns + Math.floor(x / tileSize)
      const [first, count, isSimple] = lists.entries.subarray(tile * 3, tile * 3 + 3) as unknown as [
        number,
        number,
        number,
      ]
      const listed = Array.from({ length: count }, (_, k): Way => [
        lists.ways[(first + k) * 2]!,
        lists.ways[(first + k) * 2 + 1]!,
      ])
      const own = wayAt(ways, i)
      const keep = () => {
        out.data.set(src.data.subarray(i * 4, i * 4 + 4), i * 4)
      }
      if (isSimple === 1) {
        const way = listed.length > 0 && isNothing(src, i) ? listed[0]! : own
        const isStill = listed.length === 0 || Math.max(...way.map(Math.abs)) * (to - from) < 0.02
        if (isStill) keep()
        else out.data.set(straight(src, x, y, way, { from, to, peak }), i * 4)
        continue
      }
      const tried = listed.some((w) => isNear(...w, ...own, reach)) ? listed : [...listed, own]
      const span = Math.max(Math.hypot(...own), ...tried.map((w) => Math.hypot(...w))) * (to - from)
      if (span < 0.02) {
        keep()
        continue
      }
      const samples = Math.max(4, Math.min(256, Math.ceil(span * 0.85)))
      const sum = [0, 0, 0, 0]
      let weights = 0
      for (let s = 0; s < samples; s++) {
        const share = (s + 0.5) / samples
        const weight = 1 - peak * Math.abs(2 * share - 1)
        const t = from + (to - from) * share
        weights += weight
        const found: { z: number; u: number; v: number }[] = []
        let spare = { speed: 3.4e38, u: x, v: y }
        for (const way of tried) {
          const look = (w: Way) => {
            const [u, v] = [x - w[0] * t, y - w[1] * t]
            const j = under(u, v)
            const m = wayAt(ways, j)
            return { u, v, j, m, off: ((m[0] - w[0]) * t) ** 2 + ((m[1] - w[1]) * t) ** 2 }
          }
          let seen = look(way)
          if (seen.off > 1e-4) {
            const again = look(seen.m)
            if (again.off < seen.off) seen = again
          }
          const { u, v, j, m, off } = seen
          const z = depth ? depth.data[j]! : -(m[0] ** 2 + m[1] ** 2)
          if (off > 1) {
            const speed = m[0] ** 2 + m[1] ** 2
            if (speed < spare.speed) spare = { speed, u, v }
          } else if (!depth) {
            // The faster in front, as the ways of a tile are ordered.
            const last = found.at(-1)
            if (!last || Math.abs(last.u - u) + Math.abs(last.v - v) >= 0.5) found.push({ z, u, v })
          } else if (found.length < 8 && !found.some((f) => (f.u - u) ** 2 + (f.v - v) ** 2 < 0.25)) {
            const at = found.findLastIndex((f) => f.z <= z) + 1
            found.splice(at, 0, { z, u, v })
          }
        }
        if (found.length === 0) {
          // Farther and farther along the ways that were tried, until something stands still there.
          let isMet = spare.speed * t * t <= 1
          for (let far = 1.5; far <= 4 && !isMet; far *= 1.4)
            for (const way of tried) {
              const [u, v] = [x - way[0] * t * far, y - way[1] * t * far]
              const j = under(u, v)
              const m = wayAt(ways, j)
              if (isMet || ((m[0] ** 2 + m[1] ** 2) * t * t > 1 && !isNothing(src, j))) continue
              isMet = true
              spare = { speed: 0, u, v }
            }
        }
        let pixel = found.length === 0 ? between(src, spare.u - 0.5, spare.v - 0.5) : [0, 0, 0, 0]
        for (const { u, v } of found) {
          const open = 1 - Math.min(1, Math.max(0, pixel[3]!))
          if (open <= 0) break
          const here = between(src, u - 0.5, v - 0.5)
          pixel = pixel.map((p, c) => p + here[c]! * open)
        }
        pixel.forEach((p, c) => (sum[c]! += p * weight))
      }
      out.data.set(
        sum.map((v) => v / weights),
        i * 4,
      )
    }
  },
}

/** The mean on a straight way through the middle of a pixel. */
function straight(src: Picture, x: number, y: number, way: Way, { from, to, peak }: Opening): number[] {
  const main = Math.abs(way[0]) >= Math.abs(way[1]) ? 0 : 1
  const slope = way[1 - main]! / way[main]
  const ends = [-way[main] * from, -way[main] * to]
  const [low, high] = [Math.min(...ends), Math.max(...ends)]
  const sum = [0, 0, 0, 0]
  let weights = 0
  const [begin, end] = [Math.ceil(low - 0.5), Math.floor(high + 0.5)]
  const add = (k: number, aside: number) => {
    const [left, right] = [Math.max(k - 0.5, low), Math.min(k + 0.5, high)]
    const middle = aside === k ? (left + right) / 2 : aside
    const weight = Math.max(0, right - left) * (1 - peak * Math.abs(((middle - low) / (high - low)) * 2 - 1))
    weights += weight
    const [u, v] = main === 0 ? [x + k, y + aside * slope] : [x + aside * slope, y + k]
    between(src, u - 0.5, v - 0.5).forEach((p, c) => (sum[c]! += p * weight))
  }
  // Between the ends whole pixels come in pairs, as far aside as their middle, if no edge is near.
  const isInside = [begin, end].every((k) => {
    const [u, v] = main === 0 ? [x + k, y + k * slope] : [x + k * slope, y + k]
    return u >= 0.5 && v >= 0.5 && u < src.width - 0.5 && v < src.height - 0.5
  })
  for (let k = begin; k <= end; k++)
    if (isInside && k > begin && k + 1 < end) {
      add(k, k + 0.5)
      add(k + 1, k + 0.5)
      k++
    } else add(k, k)
  return sum.map((v) => v / weights)
}

export const fastSmear = (calls: KernelCalls): SmearKernels => ({
  addWeighted: (out, a, b, weights) => {
    calls.run('addWeighted', out, out.at, a?.at ?? 0, b.at, ...weights, out.width)
  },
  holdWays: (out, motion, scale, longest) => {
    calls.run('holdWays', out, out.at, motion.at, scale, longest, out.width)
  },
  tileWays: (out, ways, src, reach) => {
    const { width, height } = src
    calls.withBytes(out.length * 4, (at) => {
      const rows = Math.ceil(height / tileSize)
      calls.pool.run('tileWays', [at, ways.at, src.at, reach, width, height], rows, width * tileSize)
      out.set(new Float32Array(calls.store.memory.buffer, at, out.length))
    })
  },
  smear: (out, src, ways, depth, lists, { from, to, peak }) => {
    calls.withBytes(lists.entries.byteLength, (listsAt) => {
      new Int32Array(calls.store.memory.buffer, listsAt, lists.entries.length).set(lists.entries)
      calls.withFloats(lists.ways, (listedAt) => {
        calls.withScratch(512, (scratch) => {
          const at = [src.at, ways.at, depth?.at ?? 0, listsAt, listedAt] as const
          calls.run('smear', out, out.at, ...at, from, to, peak, scratch, src.width, src.height)
        })
      })
    })
  },
})

import type { Picture } from '../picture/picture.ts'
import { isNear, tileEntry, tileSize, type Opening } from './declarations/smear.ts'
import type { Workshop } from './pyramid.ts'

type Way = readonly [x: number, y: number]

/** Ways that are kept for a tile, at most. */
const mostWays = 6
/** Pixels by which ways may differ, over the whole time, without one crossing another to see. */
const simplePx = 1.5

/** What may come to be in a tile: its ways, and the range of all pixels' ways. */
interface Reached {
  readonly ways: Way[]
  lowX: number
  highX: number
  lowY: number
  highY: number
}

export interface SmearShape {
  /** Pixels a frame for one of the motion pass. */
  readonly scale: number
  readonly opening: Opening
  /** Pixels a frame; what goes farther is held to it. */
  readonly longest: number
  readonly depth?: Picture | undefined
}

/**
 * Motion blur from a motion pass (red right, green down): what the picture is on the mean while it moves. Ways of
 * movement are gathered in tiles and handed to all tiles that they sweep over.
 * Source of tiles and depth order: McGuire, Hennessy, Bukowski, Osman 2012, A Reconstruction Filter for Plausible Motion Blur; of more than one
 * way a tile: Guertin, McGuire, Nowrouzezahrai 2014, A Fast and Stable Feature-Aware Motion Blur Filter.
 */
export function smearBy(
  out: Picture,
  src: Picture,
  motion: Picture,
  { scale, opening, longest, depth }: SmearShape,
  { kernels, store }: Workshop,
): void {
  const { width, height } = src
  const [columns, rows] = [Math.ceil(width / tileSize), Math.ceil(height / tileSize)]
  const reach = Math.max(Math.abs(opening.from), Math.abs(opening.to))
  const ways = store.allocate(width, height, 4)
  kernels.holdWays(ways, motion, scale, longest)
  const found = new Float32Array(columns * rows * tileEntry)
  kernels.tileWays(found, ways, src, reach)
  const reached: Reached[] = Array.from({ length: columns * rows }, () => ({
    ways: [],
    lowX: Infinity,
    highX: -Infinity,
    lowY: Infinity,
    highY: -Infinity,
  }))
  const own: { readonly way: Way; readonly tile: number; readonly far: number }[] = []
  for (let tile = 0; tile < columns * rows; tile++)
    for (let k = 0; k < found[tile * tileEntry]!; k++) {
      const way: Way = [found[tile * tileEntry + 5 + 2 * k]!, found[tile * tileEntry + 6 + 2 * k]!]
      own.push({ way, tile, far: Math.hypot(...way) })
    }
  // Fast ones first: where there are too many, what goes farthest counts.
  own.sort((a, b) => b.far - a.far || a.tile - b.tile)
  for (const { way, tile, far } of own) {
    const [, lowX, highX, lowY, highY] = found.subarray(tile * tileEntry) as unknown as [number, number, number, number, number] // prettier-ignore
    const add = (tx: number, ty: number) => {
      if (tx < 0 || ty < 0 || tx >= columns || ty >= rows) return
      const there = reached[ty * columns + tx]!
      there.lowX = Math.min(there.lowX, lowX)
      there.highX = Math.max(there.highX, highX)
      there.lowY = Math.min(there.lowY, lowY)
      there.highY = Math.max(there.highY, highY)
      if (there.ways.length < mostWays && !there.ways.some((w) => isNear(w, way, reach))) there.ways.push(way)
    }
    const [tx, ty] = [tile % columns, Math.floor(tile / columns)]
    const steps = Math.ceil((far * (opening.to - opening.from)) / (tileSize / 2))
    for (let s = 0; s <= steps; s++) {
      const t = steps === 0 ? 0 : opening.from + ((opening.to - opening.from) * s) / steps
      const [cx, cy] = [tx + (way[0] * t) / tileSize, ty + (way[1] * t) / tileSize]
      for (let dy = Math.floor(cy); dy <= Math.ceil(cy); dy++)
        for (let dx = Math.floor(cx); dx <= Math.ceil(cx); dx++) add(dx, dy)
    }
    add(tx, ty)
  }
  const lists = reached.map(({ ways: listed, lowX, highX, lowY, highY }) => ({
    ways: listed,
    isSimple: listed.length === 0 || Math.max(highX - lowX, highY - lowY) * reach <= simplePx,
  }))
  kernels.smear(out, src, ways, depth, lists, opening)
  store.release(ways)
}

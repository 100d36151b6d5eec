import type { Picture } from '../picture/picture.ts'
import { isNear, tileEntry, tileSize, type Opening } from './declarations/smear.ts'
import type { Workshop } from './pyramid.ts'

/** Ways that are kept for a tile, at most. */
const mostWays = 6
/** Pixels by which ways may differ, over the whole time, without one crossing another to see. */
const simplePx = 1.5

/** What may come to be in tiles: how many ways, and which; and the least and most of x and of y of all pixels' ways. */
function reachedTiles(tiles: number) {
  const ranges = new Float32Array(tiles * 4)
  for (let i = 0; i < tiles; i++) ranges.set([Infinity, -Infinity, Infinity, -Infinity], i * 4)
  return { counts: new Uint8Array(tiles), ways: new Float32Array(tiles * mostWays * 2), ranges }
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
  const reached = reachedTiles(columns * rows)
  const add = (there: number, tile: number, x: number, y: number) => {
    const { ranges, counts } = reached
    for (let k = 0; k < 4; k += 2) {
      ranges[there * 4 + k] = Math.min(ranges[there * 4 + k]!, found[tile * tileEntry + 1 + k]!)
      ranges[there * 4 + k + 1] = Math.max(ranges[there * 4 + k + 1]!, found[tile * tileEntry + 2 + k]!)
    }
    const first = there * mostWays * 2
    const count = counts[there]!
    if (count === mostWays) return
    for (let k = first; k < first + count * 2; k += 2)
      if (isNear(reached.ways[k]!, reached.ways[k + 1]!, x, y, reach)) return
    reached.ways[first + count * 2] = x
    reached.ways[first + count * 2 + 1] = y
    counts[there] = count + 1
  }
  const own: { readonly x: number; readonly y: number; readonly tile: number; readonly far: number }[] = []
  for (let tile = 0; tile < columns * rows; tile++)
    for (let k = 0; k < found[tile * tileEntry]!; k++) {
      const [x, y] = [found[tile * tileEntry + 5 + 2 * k]!, found[tile * tileEntry + 6 + 2 * k]!]
      own.push({ x, y, tile, far: Math.hypot(x, y) })
    }
  // Fast ones first: where there are too many, what goes farthest counts.
  own.sort((a, b) => b.far - a.far || a.tile - b.tile)
  for (const { x, y, tile, far } of own) {
    const tx = tile % columns
    const ty = Math.floor(tile / columns)
    const steps = Math.ceil((far * (opening.to - opening.from)) / (tileSize / 2))
    for (let s = 0; s <= steps; s++) {
      const t = steps === 0 ? 0 : opening.from + ((opening.to - opening.from) * s) / steps
      // Rounded before the tile is added: the same wherever in a picture it lies.
      const [cx, cy] = [(x * t) / tileSize, (y * t) / tileSize]
      const [left, right] = [Math.max(0, tx + Math.floor(cx)), Math.min(columns - 1, tx + Math.ceil(cx))]
      const [top, bottom] = [Math.max(0, ty + Math.floor(cy)), Math.min(rows - 1, ty + Math.ceil(cy))]
      for (let row = top; row <= bottom; row++)
        for (let column = left; column <= right; column++) add(row * columns + column, tile, x, y)
    }
    add(tile, tile, x, y)
  }
  const entries = new Int32Array(columns * rows * 3)
  for (let tile = 0; tile < columns * rows; tile++) {
    const range = (k: number) => reached.ranges[tile * 4 + k + 1]! - reached.ranges[tile * 4 + k]!
    const isSimple = reached.counts[tile] === 0 || Math.max(range(0), range(2)) * reach <= simplePx
    entries[tile * 3] = tile * mostWays
    entries[tile * 3 + 1] = reached.counts[tile]!
    entries[tile * 3 + 2] = Number(isSimple)
  }
  kernels.smear(out, src, ways, depth, { entries, ways: reached.ways }, opening)
  store.release(ways)
}

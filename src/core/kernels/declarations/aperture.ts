import { outOfFocus, type Focus } from '../../picture/out-of-focus.ts'
import type { Picture } from '../../picture/picture.ts'
import { held, eachValue } from '../twin-maths.ts'
import type { KernelCalls } from '../kernel-calls.ts'

/** A run of pixels of an area about a pixel: in which row, where it begins and ends from the left edge of the pixel, its weight. */
export type Run = readonly [row: number, from: number, to: number, weight: number]

/** A layer of a picture whose pixels are placed between layers, at k where all of one lies in layer k. */
export interface Layer {
  /** Which one it is, by its place. */
  readonly at: number
  /** The area that each of its pixels is spread over, as it is gathered. */
  readonly runs: readonly Run[]
  /** As little as this of it and of what is behind it, to be seen about a pixel, is too little. */
  readonly least: number
  /** Whether what is behind is weighed by how far it is known. */
  readonly isWeighed: boolean
  /** The first row of the tiles of 64 × 8 pixels that the layer may reach; other rows stay. */
  readonly top: number
  /** A pixel for each tile: 0 where it reaches nothing of it. */
  readonly lit: Picture
  /** And for each: 0 where nearer layers hide all of it, 2 where none does, else 1. */
  readonly open: Picture
}

export interface ApertureKernels {
  /** The sum over an area about each pixel; beyond the picture its edge goes on. Four channels; `out` is not `src`. */
  areaSum(out: Picture, src: Picture, runs: readonly Run[]): void
  /** By depth, how far out of focus a surface is: `outOfFocus`, in pixels of radius. */
  focusRadius(out: Picture, depth: Picture, focus: Focus): void
  /**
   * Of each row of `src`, a row of `out`: the least and the largest value in each cell, ∞ and −∞ where it has none. Cell k begins with
   * borders[k]; the first has all below, the last all above. What is no number counts as 0.
   */
  cellRanges(out: Picture, src: Picture, borders: readonly number[]): void
  /**
   * Places every pixel between layers, by their rising values: k where it has that of layer k or is no farther from it than 1/32 of the way to
   * the next, else k and its share of that way. What is no number counts as 0, what is outside of all as the nearest.
   */
  placeBetween(out: Picture, src: Picture, layers: readonly number[]): void
  /** 1 where a layer has pixels in a tile of 64 × 8: `out` has a row for each layer in the first row of tiles, then for each in the second, and so on. */
  layersIn(out: Picture, places: Picture, layers: number): void
  /** A picture and how far it is known, at half size: means of 2 × 2 pixels; at odd sizes the last ones count twice. */
  halveKnown(out: Picture, known: Picture, src: Picture, srcKnown: Picture): void
  /**
   * Fills what is not known of a picture that is weighed by how far it is: out = out · t / known + (1 − t) · coarse, where t = min(1, 64 · known);
   * what is known to more than 0.999 stays. `coarse` has half the size.
   */
  fillIn(out: Picture, known: Picture, coarse: Picture): void
  /**
   * Lays a layer of `src`, spread over its area, over what is behind it. A pixel is in the layer by max(0, 1 − |place − at|), and in it or
   * behind it by 1 − (place − at) held in 0–1. The sum of what is in it is divided by the sum of how much is in it or behind it; where that is no more than
   * `least`, and in tiles that are not lit or not open, `out` stays. `known` says how far `out` is a picture, 0–1; where it is weighed by that,
   * what shows through the layer is out / known.
   */
  layLayer(out: Picture, known: Picture, src: Picture, places: Picture, layer: Layer): void
}

/** Sums what `value` is over an area about a pixel; beyond the picture its edge goes on. */
function sumOver(
  runs: readonly Run[],
  { width, height }: Picture,
  pixel: number,
  value: (pixel: number) => number,
): number {
  const [x, y] = [pixel % width, Math.floor(pixel / width)]
  let sum = 0
  for (const [row, from, to, weight] of runs)
    for (let i = Math.floor(from); i < to; i++) {
      const share = Math.min(to, i + 1) - Math.max(from, i)
      sum += weight * share * value(held(y + row, height) * width + held(x + i, width))
    }
  return sum
}

/** The plain twins. */
export const plainAperture: ApertureKernels = {
  areaSum(out, src, runs) {
    eachValue(out, (_, c, pixel) => sumOver(runs, src, pixel, (from) => src.data[from * 4 + c]!))
  },
  focusRadius(out, depth, focus) {
    eachValue(out, (i) => outOfFocus(depth.data[i]!, focus))
  },
  cellRanges(out, src, borders) {
    for (let y = 0; y < src.height; y++)
      for (const [k, border] of borders.entries()) {
        const row = [...src.data.subarray(y * src.width, (y + 1) * src.width)].map((v) => (isNaN(v) ? 0 : v))
        const inside = row.filter(
          (v) => (k === 0 || v >= Math.fround(border)) && !(v >= Math.fround(borders[k + 1] ?? Infinity)),
        )
        out.data.set([Math.min(...inside), Math.max(...inside)], (y * borders.length + k) * 2)
      }
  },
  placeBetween(out, src, layers) {
    eachValue(out, (i) => {
      const v = isNaN(src.data[i]!) ? 0 : src.data[i]!
      const k = Math.max(0, layers.filter((layer) => Math.fround(layer) <= v).length - 1)
      const next = layers[k + 1]
      if (next === undefined) return k
      const share = Math.min(1, Math.max(0, (v - layers[k]!) / (next - layers[k]!)))
      return k + (share < 1 / 32 ? 0 : share > 31 / 32 ? 1 : share)
    })
  },
  layersIn(out, places, layers) {
    out.data.fill(0)
    for (const [i, place] of places.data.entries()) {
      const [tx, ty] = [(i % places.width) >> 6, Math.floor(i / places.width) >> 3]
      for (const k of new Set([Math.floor(place), Math.ceil(place)]))
        out.data[(ty * layers + k) * out.width + tx] = 1
    }
  },
  halveKnown(out, known, src, srcKnown) {
    const under = (from: Picture, c: number, pixel: number) => {
      const [x, y] = [2 * (pixel % out.width), 2 * Math.floor(pixel / out.width)]
      const value = (dx: number, dy: number) =>
        from.data[
          (Math.min(src.height - 1, y + dy) * src.width + Math.min(src.width - 1, x + dx)) * from.channels + c
        ]!
      return (value(0, 0) + value(1, 0) + value(0, 1) + value(1, 1)) / 4
    }
    eachValue(out, (_, c, pixel) => under(src, c, pixel))
    eachValue(known, (_, c, pixel) => under(srcKnown, c, pixel))
  },
  fillIn(out, known, coarse) {
    eachValue(out, (i, c, pixel) => {
      const [x, y] = [pixel % out.width, Math.floor(pixel / out.width)]
      const share = known.data[pixel]!
      if (share > Math.fround(0.999)) return out.data[i]!
      const trust = Math.min(1, share * 64)
      const around = coarse.data[((y >> 1) * coarse.width + (x >> 1)) * 4 + c]!
      return (share > 0 ? out.data[i]! * (trust / share) : 0) + (1 - trust) * around
    })
  },
  layLayer(out, known, src, places, { at, runs, least, isWeighed, top, lit, open }) {
    const from = top * src.width
    for (let i = from; i < Math.min(known.data.length, from + lit.height * 8 * src.width); i++) {
      const tile = (Math.floor((i - from) / src.width) >> 3) * lit.width + ((i % src.width) >> 6)
      if (lit.data[tile] === 0 || open.data[tile] === 0) continue
      const inLayer = (pixel: number) => Math.max(0, 1 - Math.abs(places.data[pixel]! - at))
      const seen = (pixel: number) => Math.min(1, Math.max(0, 1 - (places.data[pixel]! - at)))
      const share = open.data[tile] === 2 ? 1 : sumOver(runs, src, i, seen)
      if (!(share > Math.fround(least))) continue
      const layer = [0, 1, 2, 3].map((c) => {
        const value = (pixel: number) => (inLayer(pixel) > 0 ? src.data[pixel * 4 + c]! * inLayer(pixel) : 0)
        return sumOver(runs, src, i, value) / share
      })
      const whole = isWeighed && known.data[i]! > 0 ? 1 / known.data[i]! : 1
      const cover = Math.min(1, Math.max(0, layer[3]!))
      const trust = Math.min(1, share * 64)
      for (const [c, own] of layer.entries()) {
        const behind = out.data[i * 4 + c]!
        out.data[i * 4 + c] = (own + behind * whole * (1 - cover)) * trust + behind * (1 - trust)
      }
      known.data[i] = trust + (1 - trust) * known.data[i]!
    }
  },
}

/** What each sum of a row counts in an area of runs, wherever these begin and end within pixels: by row, and before which pixel it ends. */
function endsOf(runs: readonly Run[]): ReadonlyMap<number, ReadonlyMap<number, number>> {
  const rows = new Map<number, Map<number, number>>()
  for (const [row, from, to, weight] of runs) {
    const own = rows.get(row) ?? new Map<number, number>()
    rows.set(row, own)
    for (const [end, sign] of [
      [to, weight],
      [from, -weight],
    ] as const) {
      const [whole, part] = [Math.floor(end), end - Math.floor(end)]
      own.set(whole, (own.get(whole) ?? 0) + sign * (1 - part))
      if (part > 0) own.set(whole + 1, (own.get(whole + 1) ?? 0) + sign * part)
    }
  }
  return rows
}

/** Two sums side by side: their row, before which pixel the first ends, what it counts and what the second does. */
type Pair = readonly [row: number, first: number, own: number, next: number]

/** Ends of a row, in pairs of neighbours; alone where there is none. */
function pairsOf(row: number, own: ReadonlyMap<number, number>): Pair[] {
  const pairs: Pair[] = []
  const ends = [...own.keys()].sort((a, b) => a - b)
  for (let i = 0; i < ends.length; i++) {
    const [end, next] = [ends[i]!, own.get(ends[i]! + 1)]
    pairs.push([row, end, own.get(end)!, next ?? 0])
    if (next !== undefined) i++
  }
  return pairs
}

/** Quarters that differ by less than this in what a sum counts are alike. */
const alike = 1e-6

/** The lower right quarter of an area that is alike in all four: its row in the middle counts half, as it is above and below. Undefined for others. */
export function quarterOf(runs: readonly Run[]): Pair[] | undefined {
  const rows = endsOf(runs)
  const at = (row: number, end: number) => rows.get(row)?.get(end) ?? 0
  const pairs: Pair[] = []
  for (const [row, own] of rows) {
    const quarter = new Map<number, number>()
    for (const end of own.keys()) {
      const [value, left, above] = [at(row, end), -at(row, 1 - end), at(-row, end)]
      if (Math.abs(value - left) > alike || Math.abs(value - above) > alike) return undefined
      if (end >= 1) quarter.set(end, row === 0 ? value / 2 : value)
    }
    if (row >= 0) pairs.push(...pairsOf(row, quarter))
  }
  return pairs
}

/** Pixels of a tile across; layers are summed for a column of tiles. */
const tileAcross = 64

/** Bytes that a ring of rows may have to stay in the nearest cache beside other things. */
const nearBytes = 30_000

/** An odd number of cache lines, which rows of a ring are apart: so they do not push each other out of the cache. */
const oddLines = (bytes: number) => (2 * Math.ceil((bytes - 64) / 128) + 1) * 64

/**
 * How an area is summed, in columns of at most so many pixels: its ends, what kernels read of it, how many pixels a column has across, and the
 * bytes of scratch that takes. An area of a pixel has no ends.
 */
function layOut(runs: readonly Run[], widest: number) {
  const [only] = runs
  const isPixel = runs.length === 1 && only![0] === 0 && only![1] === 0 && only![2] === 1
  const quarter = isPixel ? [] : quarterOf(runs)
  const pairs = quarter ?? [...endsOf(runs)].flatMap(([row, own]) => pairsOf(row, own))
  const firsts = pairs.map(([, first]) => first)
  const past = Math.max(0, ...firsts) + 1
  const ahead = quarter ? -past : Math.min(0, ...firsts)
  const reach = Math.max(0, ...pairs.map(([row]) => Math.abs(row)))
  let across = widest
  while (across > tileAcross && (2 * reach + 1) * (across + past - ahead + 1) * 16 > nearBytes) across /= 2
  const sums = across + past - ahead + 1
  const [stride, thinStride] = [oddLines(sums * 16), oddLines(sums * 4 + 16)]
  const rows = 2 * reach + 1
  return {
    ends: pairs.flat(),
    numbers: [pairs.length, Number(quarter !== undefined), ahead, sums, reach, stride, thinStride, across],
    across,
    bytes:
      Math.ceil((across * 20 + pairs.length * 32 + rows * (stride + thinStride + 2) + thinStride) / 64) * 64 +
      64,
  }
}

export const fastAperture = ({ run, withFloats, withScratch, pool }: KernelCalls): ApertureKernels => ({
  areaSum: (out, src, runs) => {
    const { ends, numbers, across, bytes } = layOut(runs, 4 * tileAcross)
    const { width, height } = out
    withScratch(bytes, (scratch) => {
      withFloats([...ends, ...numbers], (at) => {
        const args = [out.at, src.at, scratch, bytes, at + ends.length * 4, at, width, height] as const
        pool.run('areaSum', args, Math.ceil(width / across), across * height * (ends.length + 4))
      })
    })
  },
  layLayer: (out, known, src, places, { at: place, runs, least, isWeighed, top, lit, open }) => {
    const { ends, numbers, bytes } = layOut(runs, tileAcross)
    const { width, height } = out
    const bottom = Math.min(height, top + lit.height * 8)
    const layer = [...numbers, place, least, Number(isWeighed), top, bottom]
    withScratch(bytes, (scratch) => {
      withFloats([...ends, ...layer], (at) => {
        const pictures = [out.at, known.at, src.at, places.at, lit.at, open.at] as const
        const args = [...pictures, scratch, bytes, at + ends.length * 4, at, width, height] as const
        const cost = tileAcross * (bottom - top) * (ends.length + 4)
        pool.run('layLayer', args, lit.width, cost)
      })
    })
  },
  focusRadius: (out, depth, { focus, range, behind, inFront }) => {
    run('focusRadius', out, out.at, depth.at, focus, range, behind, inFront, out.width)
  },
  cellRanges: (out, src, borders) => {
    withFloats(borders, (at) => {
      pool.run('cellRanges', [out.at, src.at, at, borders.length, src.width], src.height, src.width * 4)
    })
  },
  placeBetween: (out, src, layers) => {
    withFloats(layers, (at) => {
      run('placeBetween', out, out.at, src.at, at, layers.length, out.width)
    })
  },
  layersIn: (out, places, layers) => {
    const args = [out.at, places.at, layers, out.width, places.width, places.height] as const
    pool.run('layersIn', args, out.height / layers, places.width * 32)
  },
  halveKnown: (out, known, src, srcKnown) => {
    run('halveKnown', out, out.at, known.at, src.at, srcKnown.at, out.width, src.width, src.height)
  },
  fillIn: (out, known, coarse) => {
    run('fillIn', out, out.at, known.at, coarse.at, out.width, coarse.width)
  },
})

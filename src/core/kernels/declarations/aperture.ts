import { outOfFocus, type Focus } from '../../picture/out-of-focus.ts'
import type { Picture } from '../../picture/picture.ts'
import { held, eachValue } from '../twin-maths.ts'
import type { KernelCalls } from '../kernel-calls.ts'

/** A run of pixels of an area about a pixel: in which row, where it begins and ends from the left edge of the pixel, its weight. */
export type Run = readonly [row: number, from: number, to: number, weight: number]

/** How a layer is laid over others: what share of it is too little to be seen, and whether what is behind is weighed by how far it is known. */
export interface Laying {
  readonly least: number
  readonly isWeighed: boolean
}

export interface ApertureKernels {
  /** Sums along rows, from the first pixel on; one or four channels. */
  rowSums(out: Picture, src: Picture): void
  /**
   * The sum over an area about each pixel, from sums of rowSums; beyond the picture its edge goes on. `out` is not `sums`. `lit` has a pixel
   * for each tile of 64 × 8 pixels: where it is 0, so is `out`, and where it is 2, `out` is 1.
   */
  sumOfRuns(out: Picture, sums: Picture, runs: readonly Run[], lit?: Picture): void
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
  /** rowSums of what `slice` takes out. */
  sliceSums(out: Picture, src: Picture, places: Picture, at: number): void
  /** A picture and how far it is known, at half size: means of 2 × 2 pixels; at odd sizes the last ones count twice. */
  halveKnown(out: Picture, known: Picture, src: Picture, srcKnown: Picture): void
  /**
   * Fills what is not known of a picture that is weighed by how far it is: out = out · t / known + (1 − t) · coarse, where t = min(1, 64 · known);
   * what is known to more than 0.999 stays. `coarse` has half the size.
   */
  fillIn(out: Picture, known: Picture, coarse: Picture): void
  /**
   * Takes a layer out of a picture whose pixels are placed between layers, at k where all of one lies in layer k. Four channels: each pixel by
   * its share in layer `at`, max(0, 1 − |place − at|). One channel: its share in that layer or behind, 1 − (place − at) held in 0–1.
   */
  slice(out: Picture, src: Picture, places: Picture, at: number): void
  /**
   * Lays a blurred layer over what is behind it. It is divided by `seen`, how much about a pixel was to be seen of what lies as far as it or
   * farther; where no more than `least` was, `out` stays. `known` says how far `out` is a picture, 0–1; `isWeighed`: `out` is weighed by it,
   * so that what shows through the layer is out / known.
   */
  layOver(out: Picture, known: Picture, layer: Picture, seen: Picture, how: Laying): void
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
  sumOfRuns(out, sums, runs, lit) {
    const { width, height, channels } = sums
    const value = (x: number, y: number, c: number) => {
      const at = (held(y, height) * width + held(x, width)) * channels + c
      return sums.data[at]! - (held(x, width) > 0 ? sums.data[at - channels]! : 0)
    }
    eachValue(out, (_, c, pixel) => {
      const [x, y] = [pixel % width, Math.floor(pixel / width)]
      let sum = 0
      const tile = lit?.data[(y >> 3) * lit.width + (x >> 6)] ?? 1
      if (tile !== 1) return tile / 2
      for (const [row, from, to, weight] of runs)
        for (let i = Math.floor(from); i < to; i++)
          sum += weight * value(x + i, y + row, c) * (Math.min(to, i + 1) - Math.max(from, i))
      return sum
    })
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
  sliceSums(out, src, places, at) {
    plainAperture.slice(out, src, places, at)
    plainAperture.rowSums(out, out)
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
  slice(out, src, places, at) {
    eachValue(out, (i, _, pixel) => {
      const from = places.data[pixel]! - at
      return out.channels === 1
        ? Math.min(1, Math.max(0, 1 - from))
        : src.data[i]! * Math.max(0, 1 - Math.abs(from))
    })
  },
  layOver(out, known, layer, seen, { least, isWeighed }) {
    for (let i = 0; i < seen.data.length; i++) {
      const share = seen.data[i]!
      if (!(share > Math.fround(least))) continue
      const whole = isWeighed && known.data[i]! > 0 ? 1 / known.data[i]! : 1
      const cover = Math.min(1, Math.max(0, layer.data[i * 4 + 3]! / share))
      const trust = Math.min(1, share * 64)
      for (let c = 0; c < 4; c++) {
        const behind = out.data[i * 4 + c]!
        const laid = layer.data[i * 4 + c]! / share + behind * whole * (1 - cover)
        out.data[i * 4 + c] = laid * trust + behind * (1 - trust)
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

/** An area of runs as pairs of sums; each row has an even number of them. */
function pairsOfArea(runs: readonly Run[]): Pair[] {
  return [...endsOf(runs)].flatMap(([row, own]) => {
    const pairs = pairsOf(row, own)
    return pairs.length % 2 === 0 ? pairs : [...pairs, [row, pairs.at(-1)![1], 0, 0] as const]
  })
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

export const fastAperture = ({ run, withFloats, pool }: KernelCalls): ApertureKernels => ({
  rowSums: (out, src) => {
    run('rowSums', out, out.at, src.at, src.channels, src.width)
  },
  sumOfRuns: (out, sums, runs, lit) => {
    const { width, height, channels } = sums
    const quarter = quarterOf(runs)
    const pairs = quarter ?? pairsOfArea(runs)
    const firsts = pairs.map(([, first]) => first)
    const [ahead, past] = [Math.min(...firsts), Math.max(...firsts) + 1]
    withFloats(pairs.flat(), (at) => {
      const args = [out.at, sums.at, lit?.at ?? 0, channels, at, pairs.length] as const
      const work = out.width * channels * pairs.length
      if (quarter) pool.run('sumOfQuarters', [...args, past, width, height], height, 2 * work)
      else pool.run('sumOfPairs', [...args, ahead, past, width, height], height, work)
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
  sliceSums: (out, src, places, at) => {
    run('sliceSums', out, out.at, src.at, places.at, at, out.channels, out.width)
  },
  halveKnown: (out, known, src, srcKnown) => {
    run('halveKnown', out, out.at, known.at, src.at, srcKnown.at, out.width, src.width, src.height)
  },
  fillIn: (out, known, coarse) => {
    run('fillIn', out, out.at, known.at, coarse.at, out.width, coarse.width)
  },
  slice: (out, src, places, at) => {
    run('slice', out, out.at, src.at, places.at, at, out.channels, out.width)
  },
  layOver: (out, known, layer, seen, { least, isWeighed }) => {
    run('layOver', out, out.at, known.at, layer.at, seen.at, least, isWeighed ? 1 : 0, out.width)
  },
})

import type { PassFilter } from '../passes/pass-kind.ts'
import { halfTable, numbersToHalves } from '../picture/half.ts'
import type { PassBlock } from './pass-block.ts'

/**
 * Vectors of averaged normals back to length 1; where surfaces and emptiness met, and they all but cancel out, to 0.
 * `stride` floats a pixel, the vector in the first three; packed ones lie in 0 … 1.
 */
export function renormalise(data: Float32Array, stride: number, isPacked: boolean): void {
  const [scale, shift] = isPacked ? [2, -1] : [1, 0]
  for (let i = 0; i + 2 < data.length; i += stride) {
    const [x, y, z] = [data[i]! * scale + shift, data[i + 1]! * scale + shift, data[i + 2]! * scale + shift]
    const length = Math.sqrt(x * x + y * y + z * z)
    const by = length > 0.05 ? 1 / length : 0
    data[i] = (x * by - shift) / scale
    data[i + 1] = (y * by - shift) / scale
    data[i + 2] = (z * by - shift) / scale
  }
}

/**
 * A pass at 1/factor of its size, on the grid of the frame: cell (0, 0) covers the frame's first factor × factor pixels.
 * Colour and coverage are averaged (beyond the data window is 0; beyond the frame is not counted), normals averaged and brought
 * back to length 1, all else (depth, positions, motion, IDs) picked from the middle of the cell.
 */
export function reducePass(
  block: PassBlock,
  filter: PassFilter,
  factor: 2 | 4,
  frame: { readonly width: number; readonly height: number },
): PassBlock {
  const { channels, data } = block
  const isHalf = data instanceof Uint16Array
  const [x0, y0] = [Math.floor(block.x / factor), Math.floor(block.y / factor)]
  const width = Math.ceil((block.x + block.width) / factor) - x0
  const height = Math.ceil((block.y + block.height) / factor) - y0
  const at = { width, height, x: x0, y: y0, channels }
  if (filter === 'pick' || (filter === 'ranks' && isHalf)) {
    const picked = isHalf
      ? new Uint16Array(width * height * channels)
      : new Float32Array(width * height * channels)
    // IDs are bits, not numbers: both sides are seen as words, so that no NaN is touched.
    const words = (a: Uint16Array | Float32Array) =>
      a instanceof Uint16Array ? a : new Uint32Array(a.buffer, a.byteOffset, a.length)
    const [to, from] = [words(picked), words(data)]
    const middle = factor >> 1
    for (let y = 0; y < height; y++) {
      const sy = Math.min(block.height - 1, Math.max(0, (y + y0) * factor + middle - block.y))
      for (let x = 0; x < width; x++) {
        const sx = Math.min(block.width - 1, Math.max(0, (x + x0) * factor + middle - block.x))
        for (let c = 0; c < channels; c++)
          to[(y * width + x) * channels + c] = from[(sy * block.width + sx) * channels + c]!
      }
    }
    return { ...at, data: picked }
  }
  if (filter === 'ranks' && !isHalf) return joinedRanks(block, factor, frame, { width, height, x: x0, y: y0 })
  const mean = new Float32Array(width * height * channels)
  const sums: CellSums = { out: mean, width, block, shift: factor === 2 ? 1 : 2, x0, y0 }
  if (data instanceof Uint16Array) sumHalves(sums, data)
  else sumFloats(sums, data)
  shareOut(mean, at, factor, frame)
  if (filter !== 'mean' && channels >= 3) renormalise(mean, channels, filter === 'packed')
  return { ...at, data: isHalf ? numbersToHalves(mean) : mean }
}

/** More objects than this meet in no cell that counts. */
const mostRanks = 16

/**
 * Ranked objects of a pass at 1/factor of its size: each cell holds all objects of its pixels with their mean cover, the largest first; so
 * the coverage of any of them is the mean of its coverage. As many ranks as the fullest cell needs, at most 16.
 */
function joinedRanks(
  { channels, data, ...block }: PassBlock,
  factor: 2 | 4,
  frame: { readonly width: number; readonly height: number },
  at: { readonly width: number; readonly height: number; readonly x: number; readonly y: number },
): PassBlock {
  const { width, height, x: x0, y: y0 } = at
  const ids = new Uint32Array(data.buffer, data.byteOffset, data.length)
  // What each cell holds, one after the other: few objects meet in one, so they are looked for in a row.
  const most = (factor * factor * channels) >> 1
  const [own, sums] = [new Uint32Array(most), new Float64Array(most)]
  const ends = new Uint32Array(width * height)
  let [kept, keptIds] = [new Float32Array(2 * width * height), new Uint32Array(2 * width * height)]
  let [at0, ranks] = [0, 1]
  for (let y = 0, cell = 0; y < height; y++) {
    const [top, bottom] = [(y + y0) * factor - block.y, (y + y0 + 1) * factor - block.y]
    const rows = cellSpan(y + y0, factor, frame.height)
    for (let x = 0; x < width; x++, cell++) {
      const [left, right] = [(x + x0) * factor - block.x, (x + x0 + 1) * factor - block.x]
      let [count, last] = [0, 0]
      for (let v = Math.max(0, top); v < bottom && v < block.height; v++)
        for (let u = Math.max(0, left); u < right && u < block.width; u++)
          for (let p = (v * block.width + u) * channels, end = p + channels - 1; p < end; p += 2) {
            const cover = data[p + 1]!
            const id = ids[p]!
            if (!(cover > 0) || id === 0) continue
            if (count === 0 || own[last] !== id) {
              last = 0
              while (last < count && own[last] !== id) last++
              if (last === count) {
                own[count] = id
                sums[count++] = 0
              }
            }
            sums[last]! += cover
          }
      // The largest first; of two alike the one that was met first.
      for (let i = 1; i < count; i++) {
        const [id, sum] = [own[i]!, sums[i]!]
        let to = i
        for (; to > 0 && sums[to - 1]! < sum; to--) {
          own[to] = own[to - 1]!
          sums[to] = sums[to - 1]!
        }
        own[to] = id
        sums[to] = sum
      }
      const share = 1 / (cellSpan(x + x0, factor, frame.width) * rows)
      const held = Math.min(mostRanks, count)
      if (at0 + held > kept.length) {
        const larger = Math.max(2 * kept.length, at0 + held)
        const [was, wasIds] = [kept, keptIds]
        kept = new Float32Array(larger)
        kept.set(was)
        keptIds = new Uint32Array(larger)
        keptIds.set(wasIds)
      }
      for (let i = 0; i < held; i++) {
        keptIds[at0] = own[i]!
        kept[at0++] = sums[i]! * share
      }
      ends[cell] = at0
      if (held > ranks) ranks = held
    }
  }
  const out = new Float32Array(width * height * ranks * 2)
  const outIds = new Uint32Array(out.buffer)
  for (let cell = 0, from = 0; cell < ends.length; cell++)
    for (let o = cell * ranks * 2; from < ends[cell]!; from++, o += 2) {
      outIds[o] = keptIds[from]!
      out[o + 1] = kept[from]!
    }
  return { ...at, channels: ranks * 2, data: out }
}

/** Where values are summed by cells of 2 to the power of `shift` pixels; the first cell is (x0, y0), rows have `width` cells. */
interface CellSums {
  readonly out: Float32Array
  readonly width: number
  readonly block: PassBlock
  readonly shift: number
  readonly x0: number
  readonly y0: number
}

// Two loops alike, one for each type of values: one loop for both types is three times slower. A channel at a time: its sum
// of a cell's row stays in a register. Sums are of single precision, as those of the engine are, which gives the same bits.
function sumFloats({ out, width, block, shift, x0, y0 }: CellSums, data: Float32Array): void {
  const { channels } = block
  for (let sy = 0; sy < block.height; sy++) {
    const row = (((sy + block.y) >> shift) - y0) * width
    for (let c = 0; c < channels; c++)
      for (let sx = 0, i = sy * block.width * channels + c; sx < block.width;) {
        const cell = (sx + block.x) >> shift
        const end = Math.min(block.width, ((cell + 1) << shift) - block.x)
        const o = (row + cell - x0) * channels + c
        let sum = out[o]!
        for (; sx < end; sx++, i += channels) {
          const value = data[i]!
          if (value - value === 0) sum = Math.fround(sum + value)
        }
        out[o] = sum
      }
  }
}

function sumHalves({ out, width, block, shift, x0, y0 }: CellSums, data: Uint16Array): void {
  const { channels } = block
  const values = halfTable()
  for (let sy = 0; sy < block.height; sy++) {
    const row = (((sy + block.y) >> shift) - y0) * width
    for (let c = 0; c < channels; c++)
      for (let sx = 0, i = sy * block.width * channels + c; sx < block.width;) {
        const cell = (sx + block.x) >> shift
        const end = Math.min(block.width, ((cell + 1) << shift) - block.x)
        const o = (row + cell - x0) * channels + c
        let sum = out[o]!
        for (; sx < end; sx++, i += channels) {
          const code = data[i]!
          if ((code & 0x7c00) !== 0x7c00) sum = Math.fround(sum + values[code]!)
        }
        out[o] = sum
      }
  }
}

/** Sums of cells become means over the pixels of the frame in each: all alike, but at the right and the lower edge. */
function shareOut(
  sums: Float32Array,
  { width, height, x, y, channels }: Omit<PassBlock, 'data'>,
  factor: number,
  frame: { readonly width: number; readonly height: number },
): void {
  const columns = Float64Array.from({ length: width * channels }, (_, i) =>
    cellSpan(Math.floor(i / channels) + x, factor, frame.width),
  )
  for (let row = 0, o = 0; row < height; row++) {
    const rows = cellSpan(row + y, factor, frame.height)
    for (let i = 0; i < columns.length; i++, o++) sums[o] = sums[o]! * (1 / (rows * columns[i]!))
  }
}

/** Pixels of the frame in a cell along one axis; beyond the frame all of the cell counts. */
function cellSpan(cell: number, factor: number, side: number): number {
  const rest = side - cell * factor
  return rest > 0 && rest < factor ? rest : factor
}

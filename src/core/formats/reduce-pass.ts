import type { PassFilter } from '../passes/pass-kind.ts'
import { halfTable, numbersToHalves } from '../picture/half.ts'
import { withCodec } from '../codec/codec.ts'
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

/** How much smaller a pass is made at once. */
type Factor = 2 | 4 | 8

/** The cells of a pass at 1/factor of its size. */
function cellsOf(block: PassBlock, factor: Factor): Cells {
  const [x, y] = [Math.floor(block.x / factor), Math.floor(block.y / factor)]
  const width = Math.ceil((block.x + block.width) / factor) - x
  const height = Math.ceil((block.y + block.height) / factor) - y
  return { width, height, x, y, factor }
}

/**
 * A pass at 1/factor of its size, on the grid of the frame: cell (0, 0) covers the frame's first factor × factor pixels.
 * Colour and coverage are averaged (beyond the data window is 0; beyond the frame is not counted), normals averaged and brought
 * back to length 1, all else (depth, positions, motion, IDs) picked from the middle of the cell.
 */
export function reducePass(block: PassBlock, filter: PassFilter, factor: Factor, frame: Frame): PassBlock {
  return reducePasses(block, filter, [factor], frame)[0]!
}

/** The same at several sizes, in one way through its rows where it is averaged. */
export function reducePasses(
  block: PassBlock,
  filter: PassFilter,
  factors: readonly Factor[],
  frame: Frame,
): PassBlock[] {
  const { channels, data } = block
  const isHalf = data instanceof Uint16Array
  const isPicked = filter === 'pick' || (filter === 'ranks' && isHalf)
  const made = factors.map((factor) => {
    const cells = cellsOf(block, factor)
    const count = cells.width * cells.height * channels
    return { cells, out: isHalf ? new Uint16Array(count) : new Float32Array(count) }
  })
  if (filter === 'ranks' && data instanceof Float32Array)
    return made.map(({ cells: { factor, ...at } }) =>
      joinedRanks({ ...block, data }, factor as Factor, frame, at),
    )
  if (isPicked) for (const { cells, out } of made) pickMiddles(out, block, cells)
  else if (channels <= 4) meanCells(made, block, filter, frame)
  else for (const { cells, out } of made) meansOfMany(out, block, filter, cells, frame)
  return made.map(({ cells: { width, height, x, y }, out }) => ({ width, height, x, y, channels, data: out }))
}

/** Means of the pixels of each cell, of more channels than the codec takes. */
function meansOfMany(
  out: Uint16Array | Float32Array,
  block: PassBlock,
  filter: PassFilter,
  cells: Cells,
  frame: Frame,
): void {
  const { channels } = block
  const mean = new Float32Array(out.length)
  sumManyChannels(mean, block, cells)
  for (let row = 0; row < cells.height; row++) {
    const shares = sharesOf(row, cells, channels, frame)
    for (const [i, share] of shares.entries()) mean[row * shares.length + i]! *= share
  }
  if (filter !== 'mean') renormalise(mean, channels, filter === 'packed')
  out.set(out instanceof Uint16Array ? numbersToHalves(mean) : mean)
}

/** The summed cover of a cell that shows one object alone, as most do; 0 where there is another, or none. */
function coverOfOne(
  data: Float32Array,
  ids: Uint32Array,
  width: number,
  channels: number,
  left: number,
  top: number,
  factor: number,
): number {
  const id = ids[(top * width + left) * channels]!
  if (id === 0) return 0
  let sum = 0
  for (let v = top; v < top + factor; v++) {
    const row = (v * width + left) * channels
    for (let p = row, end = row + factor * channels; p < end; p += channels) {
      const cover = data[p + 1]!
      if (ids[p] !== id || !(cover > 0)) return 0
      for (let rank = p + 3; rank < p + channels; rank += 2) if (ids[rank] !== 0) return 0
      sum += cover
    }
  }
  return sum
}

/** More objects than this meet in no cell that counts. */
const mostRanks = 16

/**
 * Ranked objects of a pass at 1/factor of its size: each cell holds all objects of its pixels with their mean cover, the largest first; so
 * the coverage of any of them is the mean of its coverage. As many ranks as the fullest cell needs, at most 16.
 */
function joinedRanks(
  { channels, data, ...block }: PassBlock & { readonly data: Float32Array },
  factor: Factor,
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
      const isWhole = left >= 0 && top >= 0 && right <= block.width && bottom <= block.height
      const alone = isWhole ? coverOfOne(data, ids, block.width, channels, left, top, factor) : 0
      if (alone > 0) {
        own[0] = ids[(top * block.width + left) * channels]!
        sums[0] = alone
        count = 1
      } else
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

interface Frame {
  readonly width: number
  readonly height: number
}

/** The grid of cells that pixels come together in: factor × factor pixels each, the first at (x, y). */
interface Cells {
  readonly width: number
  readonly height: number
  readonly x: number
  readonly y: number
  readonly factor: number
}

const bytesOf = (a: ArrayBufferView) => new Uint8Array(a.buffer, a.byteOffset, a.byteLength)

/** Takes the pixel in the middle of each cell as it is: by its bytes, so that no bits of an ID are touched. */
function pickMiddles(out: Uint16Array | Float32Array, block: PassBlock, cells: Cells): void {
  const { channels, data } = block
  const { width, height, x: x0, y: y0, factor } = cells
  const middle = factor >> 1
  const held = (cell: number, first: number, side: number) =>
    Math.min(side - 1, Math.max(0, cell * factor + middle - first))
  const places = Int32Array.from({ length: width }, (_, x) => held(x + x0, block.x, block.width) * channels)
  const size = data.BYTES_PER_ELEMENT
  const [row, outRow] = [block.width * channels * size, width * channels * size]
  const [from, to] = [bytesOf(data), bytesOf(out)]
  withCodec(({ codec, put, room }) => {
    const [at, target, source] = [put(places), room(outRow), room(row)]
    const memory = new Uint8Array(codec.memory.buffer)
    for (let y = 0; y < height; y++) {
      const sy = held(y + y0, block.y, block.height)
      memory.set(from.subarray(sy * row, (sy + 1) * row), source)
      codec.pick(target, source, at, width, channels, size)
      to.set(memory.subarray(target, target + outRow), y * outRow)
    }
  })
}

/**
 * Means of the pixels of the cells of one or several grids, row after row and pixel after pixel, in single precision, as those of the engine are,
 * which gives the same bits. What is not finite counts as 0.
 */
function meanCells(
  grids: readonly { readonly out: Uint16Array | Float32Array; readonly cells: Cells }[],
  block: PassBlock,
  filter: PassFilter,
  frame: Frame,
): void {
  const { channels, data } = block
  const row = block.width * channels * data.BYTES_PER_ELEMENT
  const from = bytesOf(data)
  withCodec(({ codec, room }) => {
    const source = room(row)
    const rooms = grids.map(({ cells: { width } }) => {
      const count = width * channels
      return { sums: room(count * 4), halves: room(count * 2), spread: room(count * 8) }
    })
    // Views are taken when all room is made: the memory may have moved.
    const memory = new Uint8Array(codec.memory.buffer)
    const sum = data instanceof Uint16Array ? codec.sumHalves : codec.sumFloats
    const rowsOfGrids = grids.map(({ out, cells }, i) => {
      const { sums, halves, spread } = rooms[i]!
      const { factor, x, y } = cells
      const count = cells.width * channels
      const means = new Float32Array(codec.memory.buffer, sums, count)
      const codes = new Uint16Array(codec.memory.buffer, halves, count)
      const shares = new Float64Array(codec.memory.buffer, spread, count)
      const shift = Math.log2(factor)
      const first = (x + 1) * factor - block.x
      let rows = 0
      return (sy: number) => {
        const cell = ((sy + block.y) >> shift) - y
        if (sy === 0 || (sy + block.y) % factor === 0) means.fill(0)
        sum(sums, source, block.width, channels, first, shift)
        if (sy + 1 < block.height && (sy + 1 + block.y) % factor !== 0) return
        const own = cellSpan(cell + y, factor, frame.height)
        if (own !== rows) shares.set(sharesOf(cell, cells, channels, frame))
        rows = own
        codec.shareOut(sums, spread, count)
        if (filter !== 'mean' && channels >= 3) renormalise(means, channels, filter === 'packed')
        if (out instanceof Uint16Array) codec.floatToHalf(halves, sums, 0, count)
        out.set(out instanceof Uint16Array ? codes : means, cell * count)
      }
    })
    for (let sy = 0; sy < block.height; sy++) {
      memory.set(from.subarray(sy * row, (sy + 1) * row), source)
      for (const take of rowsOfGrids) take(sy)
    }
  })
}

/** Sums of the pixels of each cell, of any number of channels. */
function sumManyChannels(out: Float32Array, block: PassBlock, { width, x: x0, y: y0, factor }: Cells): void {
  const { channels, data } = block
  const halves = data instanceof Uint16Array ? halfTable() : undefined
  for (let p = 0, i = 0; p < block.width * block.height; p++) {
    const [x, y] = [p % block.width, Math.floor(p / block.width)]
    const row = Math.floor((y + block.y) / factor) - y0
    const cell = (row * width + Math.floor((x + block.x) / factor) - x0) * channels
    for (let c = 0; c < channels; c++, i++) {
      const value = halves ? halves[data[i]!]! : data[i]!
      if (value - value === 0) out[cell + c] = out[cell + c]! + value
    }
  }
}

/** What each value of a row of cells counts as, for sums to become means over the pixels of the frame in each: all alike, but at the right and the lower edge. */
function sharesOf(row: number, { width, x, y, factor }: Cells, channels: number, frame: Frame): Float64Array {
  const rows = cellSpan(row + y, factor, frame.height)
  return Float64Array.from(
    { length: width * channels },
    (_, i) => 1 / (rows * cellSpan(Math.floor(i / channels) + x, factor, frame.width)),
  )
}

/** Pixels of the frame in a cell along one axis; beyond the frame all of the cell counts. */
function cellSpan(cell: number, factor: number, side: number): number {
  const rest = side - cell * factor
  return rest > 0 && rest < factor ? rest : factor
}

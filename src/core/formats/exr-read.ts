import { ByteReader } from './byte-reader.ts'
import { portableZlib, restoredBytes, unpackRuns, type Zlib } from './exr-codecs.ts'
import {
  bytesPerValue,
  linesPerChunk,
  sampleCount,
  type ExrChannel,
  type ExrFile,
  type ExrPart,
  type ExrType,
} from './exr-header.ts'
import { unpackDwa } from './exr-dwa.ts'
import { unpackPiz } from './exr-piz.ts'
import { pxr24Bytes, unpackB44, unpackPxr24 } from './exr-pxr24-b44.ts'
import { FormatError } from './format-error.ts'

export type ExrValues = Uint16Array | Float32Array | Uint32Array

/** A channel's samples, row by row over the data window (fewer where it is subsampled), as the file stores them. */
export interface ExrPlane {
  readonly channel: ExrChannel
  readonly width: number
  readonly height: number
  readonly values: ExrValues
}

/** A rectangle of the data window that one chunk holds; corners inclusive, in file coordinates. */
interface Area {
  readonly x0: number
  readonly x1: number
  readonly y0: number
  readonly y1: number
}

/** An empty plane for a channel, in memory that `room` gives where it is to be shared among threads. */
export function planeFor(
  part: ExrPart,
  channel: ExrChannel,
  room: (bytes: number) => ArrayBufferLike = (bytes) => new ArrayBuffer(bytes),
): ExrPlane {
  const [x0, y0, x1, y1] = part.dataWindow
  const width = sampleCount(x0, x1, channel.xSampling)
  const height = sampleCount(y0, y1, channel.ySampling)
  const types: Record<ExrType, new (buffer: ArrayBufferLike) => ExrValues> = {
    half: Uint16Array,
    float: Float32Array,
    uint: Uint32Array,
  }
  const bytes = Math.max(0, width * height) * bytesPerValue[channel.type]
  return { channel, width, height, values: new types[channel.type](room(bytes)) }
}

function unpackedSize(part: ExrPart, area: Area): number {
  return part.channels.reduce((sum, c) => {
    const samples = sampleCount(area.x0, area.x1, c.xSampling) * sampleCount(area.y0, area.y1, c.ySampling)
    return sum + samples * bytesPerValue[c.type]
  }, 0)
}

/** Samples of each channel inside an area. */
function samplesIn(channel: ExrChannel, area: Area): { width: number; height: number } {
  return {
    width: Math.max(0, sampleCount(area.x0, area.x1, channel.xSampling)),
    height: Math.max(0, sampleCount(area.y0, area.y1, channel.ySampling)),
  }
}

/** Channel after channel, as some methods store a chunk, back to line after line. */
function planesToLines(part: ExrPart, area: Area, planes: Uint8Array, size: number): Uint8Array {
  const out = new Uint8Array(size)
  const starts: number[] = []
  let start = 0
  for (const channel of part.channels) {
    starts.push(start)
    const { width, height } = samplesIn(channel, area)
    start += width * height * bytesPerValue[channel.type]
  }
  let o = 0
  for (let y = area.y0; y <= area.y1; y++)
    part.channels.forEach((channel, c) => {
      if (y % channel.ySampling !== 0) return
      const bytes = samplesIn(channel, area).width * bytesPerValue[channel.type]
      out.set(planes.subarray(starts[c], starts[c]! + bytes), o)
      starts[c]! += bytes
      o += bytes
    })
  return out
}

function unpackB44Planes(
  part: ExrPart,
  area: Area,
  packed: Uint8Array,
  size: number,
): Uint8Array | undefined {
  const planes = new Uint8Array(size)
  let [at, o] = [0, 0]
  for (const channel of part.channels) {
    const { width, height } = samplesIn(channel, area)
    const bytes = width * height * bytesPerValue[channel.type]
    if (channel.type === 'half') {
      const halves = new Uint16Array(width * height)
      const end = unpackB44(packed, at, width, height, halves, channel.isPerceptual)
      if (end === undefined) return undefined
      planes.set(new Uint8Array(halves.buffer), o)
      at = end
    } else {
      if (at + bytes > packed.length) return undefined
      planes.set(packed.subarray(at, at + bytes), o)
      at += bytes
    }
    o += bytes
  }
  return planesToLines(part, area, planes, size)
}

function unpack(
  part: ExrPart,
  area: Area,
  packed: Uint8Array,
  size: number,
  at: number,
  zlib: Zlib,
): Uint8Array {
  if (packed.length > size) throw new FormatError('exr', at, 'a chunk is larger than what it unpacks to')
  // Data that would not shrink are stored as they are, by every method.
  if (packed.length === size) return packed
  const inflate = (wanted: number) => {
    let bytes: Uint8Array
    try {
      bytes = zlib.inflate(packed, wanted)
    } catch (error) {
      const reason = error instanceof Error ? error.message : String(error)
      throw new FormatError('exr', at, `a chunk does not unpack (${reason})`)
    }
    if (bytes.length !== wanted)
      throw new FormatError('exr', at, `a chunk unpacks to ${bytes.length} bytes, not ${wanted}`)
    return bytes
  }
  switch (part.compression) {
    case 'rle': {
      const bytes = unpackRuns(packed, size)
      if (!bytes) throw new FormatError('exr', at, 'a run-length chunk does not unpack to its size')
      return restoredBytes(bytes)
    }
    case 'zips':
    case 'zip':
      return restoredBytes(inflate(size))
    case 'piz': {
      const planes = part.channels.map((c) => ({ ...samplesIn(c, area), words: bytesPerValue[c.type] / 2 }))
      return planesToLines(part, area, new Uint8Array(unpackPiz(packed, planes, at).buffer), size)
    }
    case 'pxr24': {
      const lines: { samples: number; type: ExrChannel['type'] }[] = []
      for (let y = area.y0; y <= area.y1; y++)
        for (const c of part.channels)
          if (y % c.ySampling === 0) lines.push({ samples: samplesIn(c, area).width, type: c.type })
      const bytes = lines.reduce((sum, l) => sum + l.samples * pxr24Bytes[l.type], 0)
      return unpackPxr24(inflate(bytes), lines, size)
    }
    case 'dwaa':
    case 'dwab': {
      let planes: Uint8Array | undefined
      try {
        const channels = part.channels.map((c) => ({
          ...samplesIn(c, area),
          name: c.name,
          type: c.type,
          isPerceptual: c.isPerceptual ?? false,
        }))
        planes = unpackDwa(packed, channels, zlib)
      } catch {
        planes = undefined
      }
      if (!planes) throw new FormatError('exr', at, 'a DWA chunk does not unpack')
      return planesToLines(part, area, planes, size)
    }
    case 'b44':
    case 'b44a': {
      const lines = unpackB44Planes(part, area, packed, size)
      if (!lines) throw new FormatError('exr', at, 'a B44 chunk ends too early')
      return lines
    }
    default:
      throw new FormatError('exr', at, `a chunk holds ${packed.length} bytes, not ${size}`)
  }
}

/** Copies the wanted channels of an unpacked chunk to their planes; the chunk has rows of all channels in turn. Nothing of it is kept. */
function scatter(part: ExrPart, area: Area, bytes: Uint8Array, planes: ReadonlyMap<string, ExrPlane>): void {
  const [left, top] = part.dataWindow
  const source = new Uint8Array(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  const targets = new Map(
    [...planes].map(([name, { values }]) => [
      name,
      new Uint8Array(values.buffer, values.byteOffset, values.byteLength),
    ]),
  )
  let at = 0
  for (let y = area.y0; y <= area.y1; y++)
    for (const channel of part.channels) {
      if (y % channel.ySampling !== 0) continue
      const count = sampleCount(area.x0, area.x1, channel.xSampling)
      const plane = planes.get(channel.name)
      if (plane) {
        const row = Math.floor(y / channel.ySampling) - Math.ceil(top / channel.ySampling)
        const column = Math.ceil(area.x0 / channel.xSampling) - Math.ceil(left / channel.xSampling)
        const start = row * plane.width + column
        // By bytes: chunks begin anywhere, and the bits of a NaN stay what they are.
        const size = bytesPerValue[channel.type]
        targets.get(channel.name)!.set(source.subarray(at, at + count * size), start * size)
      }
      at += count * bytesPerValue[channel.type]
    }
}

/** Where every chunk of a part begins: by the table, or by walking the file where the table is not usable. */
function chunkOffsets(bytes: Uint8Array, file: ExrFile, partIndex: number, need: NeedBytes): number[] {
  const before = file.parts.slice(0, partIndex).reduce((sum, p) => sum + p.chunkCount, 0)
  const all = file.parts.reduce((sum, p) => sum + p.chunkCount, 0)
  const first = file.tablesAt + all * 8
  const reader = new ByteReader(bytes, 'exr', file.tablesAt + before * 8)
  need(file.tablesAt, first)
  const offsets = Array.from({ length: file.parts[partIndex]!.chunkCount }, () =>
    reader.u64('the table of chunks'),
  )
  if (offsets.every((o) => o >= first && o < bytes.length)) return offsets
  need(first, bytes.length)
  const found: number[] = []
  const walk: ByteReader = new ByteReader(bytes, 'exr', first)
  while (walk.at < bytes.length) {
    const start = walk.at
    const index = file.isMultiPart ? walk.i32('a chunk') : 0
    const part = file.parts[index]
    if (!part) walk.fail('a chunk belongs to no part', start)
    walk.take(part.type === 'tiled' ? 16 : 4, 'a chunk')
    walk.take(walk.u32('a chunk'), 'a chunk')
    if (index === partIndex) found.push(start)
  }
  return found
}

function chunkArea(part: ExrPart, reader: ByteReader): Area | undefined {
  const [x0, y0, x1, y1] = part.dataWindow
  if (part.tile) {
    const [column, row, levelX, levelY] = [0, 0, 0, 0].map(() => reader.i32('a tile')) as [
      number,
      number,
      number,
      number,
    ]
    if (levelX !== 0 || levelY !== 0) return undefined
    const left = x0 + column * part.tile.width
    const top = y0 + row * part.tile.height
    if (column < 0 || row < 0 || left > x1 || top > y1)
      reader.fail(`tile ${column}, ${row} lies outside the data window`)
    return {
      x0: left,
      y0: top,
      x1: Math.min(x1, left + part.tile.width - 1),
      y1: Math.min(y1, top + part.tile.height - 1),
    }
  }
  const top = reader.i32('a chunk')
  const lines = linesPerChunk[part.compression]
  if (top < y0 || top > y1 || (top - y0) % lines !== 0)
    reader.fail(`a chunk begins at line ${top}, which can not be`)
  return { x0, x1, y0: top, y1: Math.min(y1, top + lines - 1) }
}

/**
 * How many times larger than a file its pixels can be at most: zlib packs 1,032 to 1 at best, run lengths 64 to 1, B44 32 bytes
 * in 3; the codes of PIZ and DWA are generously bounded. A little file that claims a huge picture is refused before it takes memory.
 */
const mostGrowth: Readonly<Record<ExrPart['compression'], number>> = {
  none: 1.01,
  rle: 70,
  zips: 1100,
  zip: 1100,
  piz: 8000,
  pxr24: 2200,
  b44: 12,
  b44a: 12,
  dwaa: 80_000,
  dwab: 80_000,
}

/** Unpacked chunks that are kept for the next reading, by where they begin in the file. Their bytes are not written to. */
export interface KeptChunks {
  get(offset: number): Uint8Array | undefined
  put(offset: number, bytes: Uint8Array): void
}

/** Says which bytes are looked at next, from one to before another: those of a file that is read as far as it is looked at. */
export type NeedBytes = (from: number, to: number) => void
const allThere: NeedBytes = () => undefined

/** What comes before the packed bytes of a chunk, at most. */
const chunkHeadBytes = 24

/**
 * Reads channels of one part (all, or those named), level 0 of tiled ones. Values are as stored: half codes, floats
 * or unsigned integers. Of chunks outside `rows` (of the file, the last not counted) nothing is unpacked. Lines that the file leaves out stay 0 and are counted in `missingChunks`.
 * What `kept` has is not unpacked again; `need` is told of all that is looked at; `into` has planes that are written instead of new ones. Throws FormatError for what is broken and for compressions that are not read.
 */
export function readExrPart(
  bytes: Uint8Array,
  file: ExrFile,
  partIndex: number,
  {
    names,
    rows: [from, to] = [-Infinity, Infinity],
    zlib = portableZlib,
    kept,
    need = allThere,
    into,
  }: {
    readonly names?: readonly string[]
    readonly rows?: readonly [from: number, to: number]
    readonly zlib?: Zlib
    readonly kept?: KeptChunks
    readonly need?: NeedBytes
    readonly into?: Map<string, ExrPlane>
  } = {},
): { planes: Map<string, ExrPlane>; missingChunks: number } {
  const part = file.parts[partIndex]!
  const size = unpackedSize(part, {
    x0: part.dataWindow[0],
    y0: part.dataWindow[1],
    x1: part.dataWindow[2],
    y1: part.dataWindow[3],
  })
  if (size > bytes.length * mostGrowth[part.compression])
    throw new FormatError(
      'exr',
      file.tablesAt,
      `it says that it unpacks to ${(size / 1e6).toFixed(0)} MB, which its ${(bytes.length / 1e3).toFixed(0)} kB can not hold`,
    )
  const wanted = part.channels.filter((c) => !names || names.includes(c.name))
  const planes = into ?? new Map(wanted.map((c) => [c.name, planeFor(part, c)]))
  const seen = new Set<number>()
  let missingChunks = 0
  for (const offset of chunkOffsets(bytes, file, partIndex, need)) {
    need(offset, offset + chunkHeadBytes)
    const reader: ByteReader = new ByteReader(bytes, 'exr', offset)
    if (file.isMultiPart && reader.i32('a chunk') !== partIndex)
      reader.fail('a chunk belongs to another part', offset)
    const area = chunkArea(part, reader)
    if (!area) continue
    const length = reader.u32('a chunk')
    if (seen.has(offset)) reader.fail('two chunks begin at the same place', offset)
    seen.add(offset)
    if (area.y1 < from || area.y0 >= to) continue
    let unpackedBytes = kept?.get(offset)
    if (!unpackedBytes) {
      need(reader.at, reader.at + length)
      const packed = reader.take(length, 'a chunk')
      unpackedBytes = unpack(part, area, packed, unpackedSize(part, area), offset, zlib)
      kept?.put(offset, unpackedBytes)
    }
    scatter(part, area, unpackedBytes, planes)
  }
  const { tile } = part
  const [x0, y0, x1, y1] = part.dataWindow
  const expected = tile
    ? Math.ceil((x1 - x0 + 1) / tile.width) * Math.ceil((y1 - y0 + 1) / tile.height)
    : part.chunkCount
  missingChunks = expected - seen.size
  return { planes, missingChunks }
}

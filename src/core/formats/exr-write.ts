import { portableZlib, splitBytes, type Zlib } from './exr-codecs.ts'
import type { Chromaticities } from '../colour/spaces.ts'
import { packDwa } from './exr-dwa-write.ts'
import { packPiz } from './exr-piz-write.ts'
import {
  bytesPerValue,
  exrCompressions,
  exrTypes,
  linesPerChunk,
  windowSize,
  type ExrAttribute,
  type ExrType,
  type Window,
} from './exr-header.ts'
import type { ExrValues } from './exr-read.ts'

/** How chunks are packed: as they are, by line or 16 lines of zlib, by wavelet, or by cosines, which keeps no colour to the last bit. */
export const writtenCompressions = ['none', 'zips', 'zip', 'piz', 'dwaa'] as const
export type WrittenCompression = (typeof writtenCompressions)[number]

export interface ExrChannelData {
  readonly name: string
  readonly type: ExrType
  /** Row by row over the data window; half as codes. */
  readonly values: ExrValues
}

export interface ExrPicture {
  readonly dataWindow: Window
  readonly displayWindow: Window
  readonly compression: WrittenCompression
  readonly channels: readonly ExrChannelData[]
  /** Further header entries, written as they are; those the writer makes itself are left out. */
  readonly attributes?: readonly ExrAttribute[]
}

/** One part of a file of several; names must differ. */
export interface ExrPartPicture extends ExrPicture {
  readonly name: string
}

const ownAttributes = new Set([
  'channels',
  'compression',
  'dataWindow',
  'displayWindow',
  'lineOrder',
  'name',
  'type',
  'chunkCount',
  'tiles',
  'version',
])

const utf8 = new TextEncoder()

/** An attribute that holds text. */
export function textAttribute(name: string, text: string): ExrAttribute {
  return { name, type: 'string', value: utf8.encode(text) }
}

/** What red, green, blue and their white are. */
export function chromaticitiesAttribute({ red, green, blue, white }: Chromaticities): ExrAttribute {
  const value = new Uint8Array(Float32Array.of(...red, ...green, ...blue, ...white).buffer)
  return { name: 'chromaticities', type: 'chromaticities', value }
}

class ByteWriter {
  private readonly pieces: Uint8Array[] = []
  length = 0
  bytes(piece: Uint8Array): this {
    this.pieces.push(piece)
    this.length += piece.length
    return this
  }
  text(text: string): this {
    return this.bytes(utf8.encode(text + '\0'))
  }
  words(...values: number[]): this {
    return this.bytes(new Uint8Array(Int32Array.from(values).buffer))
  }
  float(value: number): this {
    return this.bytes(new Uint8Array(Float32Array.of(value).buffer))
  }
  joined(): Uint8Array {
    const out = new Uint8Array(this.length)
    let at = 0
    for (const piece of this.pieces) {
      out.set(piece, at)
      at += piece.length
    }
    return out
  }
}

function compareBytes(a: string, b: string): number {
  const [x, y] = [utf8.encode(a), utf8.encode(b)]
  for (let i = 0; i < Math.min(x.length, y.length); i++) if (x[i] !== y[i]) return x[i]! - y[i]!
  return x.length - y.length
}

/** Rows y0..y1-1 of all channels as the file keeps them. */
function packRows(channels: readonly ExrChannelData[], width: number, y0: number, y1: number): Uint8Array {
  const lineBytes = channels.reduce((sum, c) => sum + bytesPerValue[c.type] * width, 0)
  const out = new Uint8Array(lineBytes * (y1 - y0))
  let at = 0
  for (let y = y0; y < y1; y++)
    for (const { values } of channels) {
      const row = values.subarray(y * width, (y + 1) * width)
      out.set(new Uint8Array(row.buffer, row.byteOffset, row.byteLength), at)
      at += row.byteLength
    }
  return out
}

/** The header entries of one part, with the zero that ends them. */
function packHeader(picture: ExrPicture, channels: readonly ExrChannelData[], name?: string): Uint8Array {
  const header = new ByteWriter()
  const own = new Set(ownAttributes)
  const attribute = (key: string, type: string, value: ByteWriter | Uint8Array) => {
    const bytes = value instanceof ByteWriter ? value.joined() : value
    header.text(key).text(type).words(bytes.length).bytes(bytes)
  }
  const list = new ByteWriter()
  for (const c of channels) list.text(c.name).words(exrTypes.indexOf(c.type), 0, 1, 1)
  attribute('channels', 'chlist', list.bytes(new Uint8Array(1)))
  attribute('compression', 'compression', Uint8Array.of(exrCompressions.indexOf(picture.compression)))
  attribute('dataWindow', 'box2i', new ByteWriter().words(...picture.dataWindow))
  attribute('displayWindow', 'box2i', new ByteWriter().words(...picture.displayWindow))
  attribute('lineOrder', 'lineOrder', Uint8Array.of(0))
  const given = picture.attributes ?? []
  const unlessGiven = (key: string, type: string, value: ByteWriter) => {
    if (!given.some((a) => a.name === key)) attribute(key, type, value)
  }
  unlessGiven('pixelAspectRatio', 'float', new ByteWriter().float(1))
  unlessGiven('screenWindowCenter', 'v2f', new ByteWriter().float(0).float(0))
  unlessGiven('screenWindowWidth', 'float', new ByteWriter().float(1))
  if (name !== undefined) {
    const { height } = windowSize(picture.dataWindow)
    attribute('name', 'string', utf8.encode(name))
    attribute('type', 'string', utf8.encode('scanlineimage'))
    attribute(
      'chunkCount',
      'int',
      new ByteWriter().words(Math.ceil(height / linesPerChunk[picture.compression])),
    )
  }
  for (const { name: key, type, value } of given) {
    if (own.has(key)) continue
    own.add(key)
    attribute(key, type, value)
  }
  return header.bytes(new Uint8Array(1)).joined()
}

function packChunk(
  { compression }: ExrPicture,
  channels: readonly ExrChannelData[],
  width: number,
  y0: number,
  y1: number,
  zlib: Zlib,
): Uint8Array {
  const raw = packRows(channels, width, y0, y1)
  const height = y1 - y0
  const byChannel = () => {
    const out = new Uint8Array(raw.length)
    let at = 0
    for (const { values } of channels) {
      const rows = values.subarray(y0 * width, y1 * width)
      out.set(new Uint8Array(rows.buffer, rows.byteOffset, rows.byteLength), at)
      at += rows.byteLength
    }
    return out
  }
  const packed = {
    none: () => raw,
    zips: () => zlib.deflate(splitBytes(raw)),
    zip: () => zlib.deflate(splitBytes(raw)),
    piz: () =>
      packPiz(
        new Uint16Array(byChannel().buffer),
        channels.map(({ type }) => ({ width, height, words: bytesPerValue[type] / 2 })),
      ),
    dwaa: () =>
      packDwa(
        byChannel(),
        channels.map(({ name, type }) => ({ name, type, width, height, isPerceptual: false })),
        zlib,
      ),
  }[compression]()
  return packed.length < raw.length ? packed : raw
}

function packChunks(
  picture: ExrPicture,
  channels: readonly ExrChannelData[],
  zlib: Zlib,
  part: number | undefined,
): Uint8Array[] {
  const { width, height } = windowSize(picture.dataWindow)
  const lines = linesPerChunk[picture.compression]
  const chunks: Uint8Array[] = []
  for (let y = 0; y < height; y += lines) {
    const data = packChunk(picture, channels, width, y, Math.min(height, y + lines), zlib)
    const chunk = new ByteWriter()
    if (part !== undefined) chunk.words(part)
    chunks.push(
      chunk
        .words(picture.dataWindow[1] + y, data.length)
        .bytes(data)
        .joined(),
    )
  }
  return chunks
}

function writeParts(
  parts: readonly (ExrPicture & { name?: string })[],
  isMulti: boolean,
  zlib: Zlib,
): Uint8Array {
  const sorted = parts.map((p) => p.channels.toSorted((a, b) => compareBytes(a.name, b.name)))
  const names = parts.flatMap((p, i) => [
    ...sorted[i]!.map((c) => c.name),
    ...(p.attributes ?? []).map((a) => a.name),
  ])
  const isLong = names.some((n) => utf8.encode(n).length > 31)
  const file = new ByteWriter()
  file.words(0x01312f76, 2 | (isLong ? 0x400 : 0) | (isMulti ? 0x1000 : 0))
  for (const [i, part] of parts.entries())
    file.bytes(packHeader(part, sorted[i]!, isMulti ? (part.name ?? '') : undefined))
  if (isMulti) file.bytes(new Uint8Array(1))
  const chunks = parts.map((part, i) => packChunks(part, sorted[i]!, zlib, isMulti ? i : undefined))
  let at = file.length + chunks.flat().length * 8
  for (const own of chunks) {
    const table = BigUint64Array.from(own, (chunk) => {
      const start = at
      at += chunk.length
      return BigInt(start)
    })
    file.bytes(new Uint8Array(table.buffer))
  }
  for (const chunk of chunks.flat()) file.bytes(chunk)
  return file.joined()
}

/** Writes a single-part scan-line EXR, lines by rising y, channels in byte order of their names. */
export function writeExr(picture: ExrPicture, zlib: Zlib = portableZlib): Uint8Array {
  return writeParts([picture], false, zlib)
}

/** Writes a scan-line EXR of several parts, which may differ in windows and compression. */
export function writeExrParts(parts: readonly ExrPartPicture[], zlib: Zlib = portableZlib): Uint8Array {
  return writeParts(parts, true, zlib)
}

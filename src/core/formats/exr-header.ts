import { ByteReader } from './byte-reader.ts'
import { FormatError } from './format-error.ts'

// Source: "OpenEXR File Layout" (openexr documentation, Academy Software Foundation).

export const exrTypes = ['uint', 'half', 'float'] as const
export type ExrType = (typeof exrTypes)[number]
export const exrCompressions = [
  'none',
  'rle',
  'zips',
  'zip',
  'piz',
  'pxr24',
  'b44',
  'b44a',
  'dwaa',
  'dwab',
] as const
export type ExrCompression = (typeof exrCompressions)[number]

export interface ExrChannel {
  readonly name: string
  readonly type: ExrType
  readonly xSampling: number
  readonly ySampling: number
  /** Values are perceptual rather than linear; lossy methods quantise them otherwise. */
  readonly isPerceptual?: boolean
}
/** Corners of a window, both inclusive, y down. */
export type Window = readonly [x0: number, y0: number, x1: number, y1: number]

export interface ExrAttribute {
  readonly name: string
  readonly type: string
  readonly value: Uint8Array
}

export interface ExrPart {
  readonly name: string
  readonly type: 'scanline' | 'tiled'
  readonly compression: ExrCompression
  readonly channels: readonly ExrChannel[]
  readonly dataWindow: Window
  readonly displayWindow: Window
  readonly tile?: { readonly width: number; readonly height: number; readonly isOneLevel: boolean }
  /** Chunks in the file, all levels of a tiled part. */
  readonly chunkCount: number
  readonly attributes: ReadonlyMap<string, ExrAttribute>
}

export interface ExrFile {
  readonly isMultiPart: boolean
  readonly parts: readonly ExrPart[]
  /** Where the offset tables begin. */
  readonly tablesAt: number
}

/** More than this is refused before anything is allocated. */
export const exrLimits = { side: 65536, pixels: 2 ** 28, channels: 1024, parts: 256, bytes: 2 ** 32 } as const

/** Scan lines that are compressed together. */
export const linesPerChunk: Readonly<Record<ExrCompression, number>> = {
  none: 1,
  rle: 1,
  zips: 1,
  zip: 16,
  piz: 32,
  pxr24: 16,
  b44: 32,
  b44a: 32,
  dwaa: 32,
  dwab: 256,
}

export const bytesPerValue: Readonly<Record<ExrType, number>> = { uint: 4, half: 2, float: 4 }

export function windowSize([x0, y0, x1, y1]: Window): { width: number; height: number } {
  return { width: x1 - x0 + 1, height: y1 - y0 + 1 }
}

/** Samples of a channel along one axis: the multiples of the sampling inside the window. */
export function sampleCount(from: number, to: number, sampling: number): number {
  return Math.floor(to / sampling) - Math.ceil(from / sampling) + 1
}

/** Whether the bytes begin as an EXR file does. */
export function isExr(bytes: Uint8Array): boolean {
  return bytes[0] === 0x76 && bytes[1] === 0x2f && bytes[2] === 0x31 && bytes[3] === 0x01
}

function readAttributes(reader: ByteReader): Map<string, ExrAttribute> | undefined {
  const attributes = new Map<string, ExrAttribute>()
  for (;;) {
    const name = reader.text(255, 'an attribute name')
    if (name === '') return attributes.size > 0 ? attributes : undefined
    const type = reader.text(255, `the type of attribute '${name}'`)
    const size = reader.u32(`the size of attribute '${name}'`)
    attributes.set(name, { name, type, value: reader.take(size, `attribute '${name}'`) })
  }
}

function readChannels(value: ByteReader): ExrChannel[] {
  const channels: ExrChannel[] = []
  for (;;) {
    const name = value.text(255, 'a channel name')
    if (name === '') return channels
    const type = exrTypes[value.u32(`channel '${name}'`)]
    if (!type) value.fail(`channel '${name}' is of an unknown type`)
    const isPerceptual = value.take(4, `channel '${name}'`)[0] === 1
    const [xSampling, ySampling] = [value.i32('a sampling'), value.i32('a sampling')]
    if (xSampling < 1 || ySampling < 1)
      value.fail(`channel '${name}' has a sampling of ${Math.min(xSampling, ySampling)}`)
    if (channels.length >= exrLimits.channels) value.fail(`it has more than ${exrLimits.channels} channels`)
    channels.push({ name, type, xSampling, ySampling, ...(isPerceptual ? { isPerceptual } : {}) })
  }
}

function readWindow(value: ByteReader, what: string): Window {
  const [x0, y0, x1, y1] = [value.i32(what), value.i32(what), value.i32(what), value.i32(what)]
  const { width, height } = windowSize([x0, y0, x1, y1])
  if (width < 1 || height < 1) value.fail(`the ${what} is empty (${x0}, ${y0} to ${x1}, ${y1})`)
  if (width > exrLimits.side || height > exrLimits.side || width * height > exrLimits.pixels)
    value.fail(`the ${what} of ${width} × ${height} pixels is larger than Zafiro takes`)
  return [x0, y0, x1, y1]
}

/** Chunks of a tiled part over all its levels. */
function countTiles(
  width: number,
  height: number,
  tileWidth: number,
  tileHeight: number,
  mode: number,
): number {
  const isRoundedUp = mode >> 4 === 1
  const level = (size: number, l: number) =>
    Math.max(1, isRoundedUp ? Math.ceil(size / 2 ** l) : Math.floor(size / 2 ** l))
  const levels = (size: number) =>
    (isRoundedUp ? Math.ceil(Math.log2(size)) : Math.floor(Math.log2(size))) + 1
  const tiles = (lx: number, ly: number) =>
    Math.ceil(level(width, lx) / tileWidth) * Math.ceil(level(height, ly) / tileHeight)
  let count = 0
  if ((mode & 15) === 0) return tiles(0, 0)
  if ((mode & 15) === 1) for (let l = 0; l < levels(Math.max(width, height)); l++) count += tiles(l, l)
  else
    for (let ly = 0; ly < levels(height); ly++)
      for (let lx = 0; lx < levels(width); lx++) count += tiles(lx, ly)
  return count
}

function readPart(
  attributes: Map<string, ExrAttribute>,
  at: number,
  isTiledFile: boolean,
  index: number,
): ExrPart {
  const open = (name: string, type: string): ByteReader => {
    const found = attributes.get(name)
    if (!found) throw new FormatError('exr', at, `required attribute '${name}' is missing`)
    if (found.type !== type)
      throw new FormatError('exr', at, `attribute '${name}' is of type ${found.type}, not ${type}`)
    return new ByteReader(found.value, 'exr')
  }
  const text = (name: string) => new TextDecoder().decode(attributes.get(name)?.value ?? new Uint8Array())
  const channels = readChannels(open('channels', 'chlist'))
  if (channels.length === 0) throw new FormatError('exr', at, 'it has no channels')
  const code = open('compression', 'compression').u8('the compression')
  const compression = exrCompressions[code]
  if (!compression) throw new FormatError('exr', at, `its compression number ${code} is not known`)
  const dataWindow = readWindow(open('dataWindow', 'box2i'), 'data window')
  const displayWindow = readWindow(open('displayWindow', 'box2i'), 'display window')
  const { width, height } = windowSize(dataWindow)
  const bytes = channels.reduce((sum, c) => sum + bytesPerValue[c.type], 0) * width * height
  if (bytes > exrLimits.bytes)
    throw new FormatError('exr', at, `it unpacks to ${(bytes / 1e9).toFixed(1)} GB, more than Zafiro takes`)
  const shared = {
    name: text('name') || (index === 0 ? '' : `part${index}`),
    compression,
    channels,
    dataWindow,
    displayWindow,
    attributes,
  }
  if (isTiledFile || text('type') === 'tiledimage') {
    const tiles = open('tiles', 'tiledesc')
    const [tileWidth, tileHeight, mode] = [
      tiles.u32('the tiles'),
      tiles.u32('the tiles'),
      tiles.u8('the tiles'),
    ]
    if (
      tileWidth < 1 ||
      tileHeight < 1 ||
      tileWidth > exrLimits.side ||
      tileHeight > exrLimits.side ||
      (mode & 15) > 2
    )
      throw new FormatError('exr', at, `tiles of ${tileWidth} × ${tileHeight} can not be`)
    const tile = { width: tileWidth, height: tileHeight, isOneLevel: (mode & 15) === 0 }
    return {
      ...shared,
      type: 'tiled',
      tile,
      chunkCount: countTiles(width, height, tileWidth, tileHeight, mode),
    }
  }
  return { ...shared, type: 'scanline', chunkCount: Math.ceil(height / linesPerChunk[compression]) }
}

/** Reads the headers of all parts. Throws FormatError; allocates nothing that the file's size does not bound. */
export function readExrHeader(bytes: Uint8Array): ExrFile {
  const reader: ByteReader = new ByteReader(bytes, 'exr')
  if (!isExr(bytes)) reader.fail(bytes.length === 0 ? 'it is empty' : 'it does not begin as an EXR file does')
  reader.at = 4
  const version = reader.u32('the version')
  if ((version & 0xff) !== 2) reader.fail(`its layout version ${version & 0xff} is not 2`)
  // Tiles, long names, deep data, several parts; a reader that meets others can not know what they change (OpenEXR file layout).
  if ((version & ~0x1eff) !== 0)
    reader.fail(
      `its version flags 0x${((version & ~0xff) >>> 0).toString(16)} hold one that is not known; write it as plain scan lines or tiles`,
    )
  if (version & 0x800) reader.fail('it holds deep data, which Zafiro does not read; write it flat')
  const isMultiPart = (version & 0x1000) !== 0
  const parts: ExrPart[] = []
  for (;;) {
    const at = reader.at
    const attributes = readAttributes(reader)
    if (!attributes) {
      if (isMultiPart && parts.length > 0) break
      reader.fail('the header is empty', at)
    }
    if (parts.length >= exrLimits.parts) reader.fail(`it has more than ${exrLimits.parts} parts`)
    parts.push(readPart(attributes, at, (version & 0x200) !== 0, parts.length))
    if (!isMultiPart) break
  }
  const tableBytes = parts.reduce((sum, p) => sum + p.chunkCount, 0) * 8
  if (reader.at + tableBytes > bytes.length) reader.fail('it ends inside the table of its chunks')
  return { isMultiPart, parts, tablesAt: reader.at }
}

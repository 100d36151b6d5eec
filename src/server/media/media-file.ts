import type { AlphaUse, Pass, ReadAs } from '../../core/comp/media.ts'
import type { Encoding } from '../../core/colour/curves.ts'
import { namedColour, type FileColour } from '../../core/colour/file-colour.ts'
import { isIdentity, throughMatrix } from '../../core/colour/spaces.ts'
import { guessPass } from '../../core/passes/guess-pass.ts'
import { rulesOf } from '../../core/passes/passes.ts'
import { isClf, parseClf } from '../../core/formats/clf.ts'
import { isCube, parseCube } from '../../core/formats/cube.ts'
import { readMaskHeaders, type MaskHeader } from '../../core/formats/cryptomatte.ts'
import { isExr, readExrHeader, windowSize, type Window } from '../../core/formats/exr-header.ts'
import { exrPasses } from '../../core/formats/exr-passes.ts'
import {
  planeFor,
  readExrPart,
  type ExrPlane,
  type KeptChunks,
  type NeedBytes,
} from '../../core/formats/exr-read.ts'
import { sampleOf } from '../../core/formats/exr-subsampled.ts'
import { FormatError } from '../../core/formats/format-error.ts'
import type { PassBlock } from '../../core/formats/pass-block.ts'
import { isPng, pngColour, readPng, readPngHeader } from '../../core/formats/png.ts'
import { codesToHalves, samplesToLinear, type Samples } from '../../core/formats/samples.ts'
import { numbersToHalves } from '../../core/picture/half.ts'
import { checkSamples } from './decode-budget.ts'
import { blockOf, matrixOf, partColour } from './exr-block.ts'
import { nodeZlib } from './node-zlib.ts'
import type { SparseFile } from './sparse-file.ts'
import { doShare, shareWork, type SharedWork } from './shared-work.ts'

export interface PartInfo {
  readonly name: string
  readonly type: string
  readonly compression: string
  readonly channels: readonly { name: string; type: string; xSampling: number; ySampling: number }[]
}

/** What a file holds, as far as its headers say. */
export interface MediaInfo {
  readonly format: 'exr' | 'png' | 'jpeg' | 'webp' | 'tiff' | 'hdr' | 'cube' | 'clf'
  readonly width: number
  readonly height: number
  readonly dataWindow: Window
  readonly displayWindow: Window
  readonly parts: readonly PartInfo[]
  readonly passes: readonly Pass[]
  /** How the file says that its colour is stored; where it does not say, what is usual for its format. */
  readonly encoding: Encoding
  readonly alpha: AlphaUse
  /** What its colours are, and how that is known. */
  readonly colour: FileColour
  /** Lists of object names that its headers point to, by file name. */
  readonly manifestFiles: readonly string[]
  readonly warnings: readonly string[]
}

/** Stored value of every channel at a pixel, per part; x and y in the file's own coordinates. */
export type StoredPixel = readonly {
  readonly part: string
  readonly values: Readonly<Record<string, number>>
}[]

/** An opened picture file. Reading throws FormatError where the file is broken. */
export interface MediaFile {
  readonly info: MediaInfo
  /** One pass for an engine: colour premultiplied and scene-linear, data as they are. Unless told, by its kind. */
  readPass(name: string, as?: ReadAs): PassBlock
  /** Some rows of a pass, counted on the canvas, the last not counted; undefined where that is no less work than all of it. */
  readRows?(name: string, as: ReadAs, rows: readonly [from: number, to: number]): PassBlock | undefined
  /** Memory and work for several threads that unpack the same file, each of which calls `unpackWith`. */
  share?(): SharedFile
  /** Unpacks what no other thread does, and waits until all is there. */
  unpackWith?(shared: SharedFile): void
  /** What is said of object masks in its headers, by the pass that holds them. */
  readonly masks: readonly MaskHeader[]
  /** What was noticed while passes were read. */
  noticed(): readonly string[]
  /** Undefined where the file has no pixel there. */
  storedPixels(points: readonly (readonly [number, number])[]): (StoredPixel | undefined)[]
}

/** Planes that several threads fill: of each part its channels in their order, and spans of rows that are shared out. */
export interface SharedFile {
  readonly parts: readonly (readonly ExrPlane[])[]
  readonly spans: readonly (readonly [part: number, from: number, to: number])[]
  readonly work: SharedWork
}

/** Rows that a thread takes at a time: no chunk of lines has more. */
const spanRows = 256

/** The beginning of a file that is looked at for its headers; twice as much where they are longer. */
const headBytes = 2 ** 18

/** Opens an EXR of which only the beginning, and later what is asked for, is read. Throws FormatError. */
export function openSparseExr({ bytes, need }: Pick<SparseFile, 'bytes' | 'need'>): MediaFile {
  for (let head = headBytes; ; head *= 2) {
    need(0, head)
    try {
      const { tablesAt } = readExrHeader(bytes)
      if (tablesAt < head) return openExr(bytes, need)
    } catch (error) {
      // What was not read yet is no header.
      if (head >= bytes.length) throw error
    }
  }
}

/** Opens a picture by its contents, whatever its name ends with. Throws FormatError. */
export function openMediaFile(bytes: Uint8Array): MediaFile {
  if (isExr(bytes)) return openExr(bytes)
  if (isPng(bytes)) return openPng(bytes)
  if (isCube(bytes)) return openCube(bytes)
  if (isClf(bytes)) return openClf(bytes)
  if (bytes.length === 0) throw new FormatError('picture', 0, 'it is empty')
  throw new FormatError(
    'picture',
    0,
    'it is neither EXR, PNG, TIFF, JPEG, WebP, Radiance HDR nor a .cube table',
  )
}

/** Bytes of unpacked chunks that are kept of an open file, whose passes are mostly asked for one after the other. */
const mostKept = 256 * 2 ** 20

/** Keeps copies of chunks; when there are too many the first ones go. */
function chunkKeep(): KeptChunks {
  const kept = new Map<number, Uint8Array>()
  let bytes = 0
  return {
    get: (offset) => kept.get(offset),
    put: (offset, chunk) => {
      bytes += chunk.length
      kept.set(offset, new Uint8Array(chunk))
      for (const [first, { length }] of kept) {
        if (bytes <= mostKept) break
        bytes -= length
        kept.delete(first)
      }
    },
  }
}

function openExr(bytes: Uint8Array, need?: NeedBytes): MediaFile {
  const file = readExrHeader(bytes)
  const first = file.parts[0]!
  for (const part of file.parts) {
    const size = windowSize(part.dataWindow)
    checkSamples('exr', size.width, size.height, part.channels.length)
  }
  const passes = exrPasses(file)
  const masks = file.parts.flatMap((part) => readMaskHeaders(part.attributes))
  const { width, height } = windowSize(first.displayWindow)
  const info: MediaInfo = {
    format: 'exr',
    width,
    height,
    dataWindow: first.dataWindow,
    displayWindow: first.displayWindow,
    parts: file.parts.map(({ name, type, compression, channels }) => ({
      name,
      type,
      compression,
      channels: channels.map((c) => ({ ...c })),
    })),
    passes,
    encoding: 'linear',
    alpha: 'premultiplied',
    colour: partColour(first),
    manifestFiles: masks.flatMap((m) => m.manifestFile ?? []),
    warnings: [],
  }
  const kept = chunkKeep()
  const justRead: KeptChunks = { get: kept.get, put: () => undefined }
  const reading = { zlib: nodeZlib, ...(need && { need }) }
  // Every chunk holds all channels of its part: they are unpacked together, once.
  const unpacked = new Map<number, ReturnType<typeof readExrPart>>()
  const planesOf = (index: number) => {
    const read = unpacked.get(index) ?? readExrPart(bytes, file, index, { ...reading, kept: justRead })
    unpacked.set(index, read)
    return read.planes
  }
  const passNamed = (name: string) => {
    const pass = passes.find((p) => p.name === name)
    if (!pass) throw new FormatError('exr', 0, `it has no pass named ${name}`)
    return pass
  }
  return {
    info,
    masks,
    share() {
      const parts = file.parts.map((part) =>
        part.channels.map((channel) => planeFor(part, channel, (bytes) => new SharedArrayBuffer(bytes))),
      )
      const spans = file.parts.flatMap(({ dataWindow: [, top, , bottom], tile }, index) => {
        const step = tile ? tile.height * Math.ceil(spanRows / tile.height) : spanRows
        const count = Math.ceil((bottom + 1 - top) / step)
        return Array.from({ length: count }, (_, i) => [index, top + i * step, top + (i + 1) * step] as const)
      })
      return { parts, spans, work: shareWork() }
    },
    unpackWith({ parts, spans, work }) {
      const all = parts.map((planes) => ({
        planes: new Map(planes.map((plane) => [plane.channel.name, plane])),
        missingChunks: 0,
      }))
      doShare(work, spans.length, (i) => {
        const [part, ...rows] = spans[i]!
        const { missingChunks } = readExrPart(bytes, file, part, {
          ...reading,
          rows,
          into: all[part]!.planes,
        })
        all[part]!.missingChunks = missingChunks
      })
      for (const [index, read] of all.entries()) unpacked.set(index, read)
    },
    noticed: () =>
      [...unpacked].flatMap(([index, { missingChunks }]) =>
        missingChunks > 0
          ? [
              `${missingChunks} of ${missingChunks === 1 ? 'its blocks' : 'its blocks of lines'}${file.parts[index]!.name ? ` in the part ${file.parts[index]!.name}` : ''} ${missingChunks === 1 ? 'is' : 'are'} missing and stay black; the file may not have been written to its end`,
            ]
          : [],
      ),
    readPass(name, as) {
      const pass = passNamed(name)
      return blockOf(pass, file.parts[pass.part]!, planesOf(pass.part), as)
    },
    readRows(name, as, [from, to]) {
      const pass = passNamed(name)
      const part = file.parts[pass.part]!
      if (part.channels.some(({ xSampling, ySampling }) => xSampling * ySampling > 1)) return undefined
      const [x0, top, x1, bottom] = part.dataWindow
      // Rows of the file; at least one of it.
      const first = Math.min(bottom, Math.max(top, from + part.displayWindow[1]))
      const last = Math.min(bottom, Math.max(first, to + part.displayWindow[1] - 1))
      const rows = [first, last + 1] as const
      const { channels: names } = pass
      const { planes } =
        unpacked.get(pass.part) ?? readExrPart(bytes, file, pass.part, { ...reading, names, rows, kept })
      const cut = new Map<string, ExrPlane>()
      for (const channel of names) {
        const plane = planes.get(channel)!
        const values = plane.values.slice((first - top) * plane.width, (last + 1 - top) * plane.width)
        cut.set(channel, { ...plane, height: last + 1 - first, values })
      }
      return blockOf(pass, { ...part, dataWindow: [x0, first, x1, last] }, cut, as)
    },
    storedPixels(points) {
      const parts = file.parts.map((part, index) => ({ part, planes: planesOf(index) }))
      return points.map(([x, y]) => {
        const found = parts.flatMap(({ part, planes }) => {
          const [x0, y0, x1, y1] = part.dataWindow
          if (x < x0 || y < y0 || x > x1 || y > y1) return []
          const values = [...planes].map(([name, plane]) => {
            const { xSampling, ySampling } = plane.channel
            const column = Math.floor(x / xSampling) - Math.ceil(x0 / xSampling)
            const row = Math.floor(y / ySampling) - Math.ceil(y0 / ySampling)
            return [name, sampleOf(plane, Math.max(0, row) * plane.width + Math.max(0, column))] as const
          })
          return [{ part: part.name, values: Object.fromEntries(values) }]
        })
        return found.length > 0 ? found : undefined
      })
    },
  }
}

/** What a picture of one pass says of itself, and its samples as stored. */
export interface Raster {
  readonly format: MediaInfo['format']
  readonly compression: string
  readonly colour: FileColour
  readonly alpha: AlphaUse
  readonly warnings: readonly string[]
  readonly samples: Samples
}

/** A picture of one pass as an opened file; grey without alpha stays one channel. */
export function rasterFile({ format, compression, colour, alpha, warnings, samples }: Raster): MediaFile {
  const { width, height, channels, data, most } = samples
  const type = data instanceof Float32Array ? 'float' : data instanceof Uint16Array ? 'uint16' : 'uint8'
  const window: Window = [0, 0, width - 1, height - 1]
  const isGrey = channels.length === 1
  const passChannels = isGrey ? ['Y'] : ['R', 'G', 'B', 'A']
  const pass: Pass = {
    name: 'beauty',
    channels: passChannels,
    type,
    ...guessPass('beauty', ['R', 'G', 'B', 'A'], type),
  }
  return {
    info: {
      format,
      width,
      height,
      dataWindow: window,
      displayWindow: window,
      parts: [
        {
          name: '',
          type: 'scanline',
          compression,
          channels: channels.map((name) => ({ name, type, xSampling: 1, ySampling: 1 })),
        },
      ],
      passes: [pass],
      // A curve of a file's own is nearest to the one that screens have.
      encoding: typeof colour.curve === 'string' ? colour.curve : 'srgb',
      alpha,
      colour,
      manifestFiles: [],
      warnings: colour.doubt === undefined ? warnings : [...warnings, colour.doubt],
    },
    masks: [],
    noticed: () => [],
    readPass(_, as) {
      const isData = as?.isData ?? !rulesOf(pass.kind).isLight
      const [curve, use] = isData
        ? (['linear', 'premultiplied'] as const)
        : [as?.encoding ?? colour.curve, as?.alpha ?? alpha]
      const matrix = matrixOf(as, colour)
      const isMoved = !isData && !isGrey && !isIdentity(matrix)
      const place = { width, height, x: 0, y: 0, channels: passChannels.length }
      const halves = isMoved ? undefined : codesToHalves(samples, curve, use)
      if (halves) return { ...place, data: halves }
      const linear = samplesToLinear(samples, curve, use)
      if (isMoved) throughMatrix(linear, matrix)
      const values = isGrey ? linear.filter((_, i) => i % 4 === 0) : linear
      // Eight bits fit a half with room to spare; sixteen do not.
      return { ...place, data: most === 255 && !isMoved ? numbersToHalves(values) : values }
    },
    storedPixels: (points) =>
      points.map(([x, y]) => {
        if (x < 0 || y < 0 || x >= width || y >= height) return undefined
        const values = channels.map(
          (name, c) => [name, data[(y * width + x) * channels.length + c]!] as const,
        )
        return [{ part: '', values: Object.fromEntries(values) }]
      }),
  }
}

function openPng(bytes: Uint8Array): MediaFile {
  const header = readPngHeader(bytes)
  checkSamples('png', header.width, header.height, 4)
  return rasterFile({
    format: 'png',
    compression: 'deflate',
    colour: pngColour(header),
    alpha: 'straight',
    warnings: [],
    samples: readPng(bytes),
  })
}

/** A colour table as a file with one pass: a row of entries for lines, size² × size of them for a cube. */
function openCube(bytes: Uint8Array): MediaFile {
  const { isCube: cube, size, from, to, values } = parseCube(bytes)
  const table = { size, cube, from: [...from], to: [...to] } as NonNullable<Pass['detail']>['table']
  return tableFile(
    'cube',
    values,
    cube ? size * size : size,
    { table },
    cube ? `a cube of ${size} × ${size} × ${size}` : `lines of ${size} entries`,
  )
}

/** A process list as a file with one pass: the entries of all its tables, row after row. */
function openClf(bytes: Uint8Array): MediaFile {
  const { name, nodes, entries } = parseClf(bytes)
  const width = Math.min(entries.length / 3, 4096)
  const whole = new Float32Array(Math.ceil(entries.length / 3 / width) * width * 3)
  whole.set(entries)
  const words = nodes.map((n) => n.type).join(', ')
  return tableFile(
    'clf',
    whole,
    width,
    { process: [...nodes] },
    `a process list${name === '' ? '' : ` “${name}”`}: ${words}`,
  )
}

/** Entries of three values, `width` of them in a row, as a file with one pass. */
function tableFile(
  format: 'cube' | 'clf',
  values: Float32Array,
  width: number,
  detail: NonNullable<Pass['detail']>,
  reason: string,
): MediaFile {
  const samples: Samples = {
    width,
    height: values.length / 3 / width,
    channels: ['R', 'G', 'B'],
    data: values,
    most: 1,
  }
  const file = rasterFile({
    format,
    compression: 'none',
    colour: namedColour('rec709', 'linear', 'a table'),
    alpha: 'ignored',
    warnings: [],
    samples,
  })
  const pass: Pass = {
    name: 'table',
    kind: 'table',
    channels: ['R', 'G', 'B', 'A'],
    type: 'float',
    detail,
    reason,
  }
  return { ...file, info: { ...file.info, passes: [pass] } }
}

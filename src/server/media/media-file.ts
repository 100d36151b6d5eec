import type { AlphaUse, Pass, ReadAs } from '../../core/comp/media.ts'
import type { Encoding } from '../../core/colour/curves.ts'
import { workingSpace } from '../../core/colour/working.ts'
import { colourOf, namedColour, type FileColour } from '../../core/colour/file-colour.ts'
import {
  isIdentity,
  multiply,
  throughMatrix,
  toWorking,
  type Chromaticities,
  type Matrix,
} from '../../core/colour/spaces.ts'
import { guessPass } from '../../core/passes/guess-pass.ts'
import { rulesOf } from '../../core/passes/passes.ts'
import { isClf, parseClf } from '../../core/formats/clf.ts'
import { isCube, parseCube } from '../../core/formats/cube.ts'
import { readMaskHeaders, type MaskHeader } from '../../core/formats/cryptomatte.ts'
import { isExr, readExrHeader, windowSize, type ExrPart, type Window } from '../../core/formats/exr-header.ts'
import { exrPasses } from '../../core/formats/exr-passes.ts'
import { readExrPart, type ExrPlane } from '../../core/formats/exr-read.ts'
import { atFullSize, chromaToRgb, sampleOf } from '../../core/formats/exr-subsampled.ts'
import { FormatError } from '../../core/formats/format-error.ts'
import type { PassBlock } from '../../core/formats/pass-block.ts'
import { isPng, pngColour, readPng, readPngHeader } from '../../core/formats/png.ts'
import { samplesToLinear, type Samples } from '../../core/formats/samples.ts'
import { halfTable, numbersToHalves } from '../../core/picture/half.ts'
import { checkSamples } from './decode-budget.ts'
import { nodeZlib } from './node-zlib.ts'

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
  /** What is said of object masks in its headers, by the pass that holds them. */
  readonly masks: readonly MaskHeader[]
  /** What was noticed while passes were read. */
  noticed(): readonly string[]
  /** Undefined where the file has no pixel there. */
  storedPixels(points: readonly (readonly [number, number])[]): (StoredPixel | undefined)[]
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

/** The planes of a luminance/chroma pass in the order Y, RY, BY and then alpha, where it is one. */
function chromaPlanes(planes: readonly ExrPlane[]): ExrPlane[] | undefined {
  const find = (name: string) => planes.find((p) => p.channel.name.split('.').at(-1)!.toUpperCase() === name)
  const [y, ry, by, a] = ['Y', 'RY', 'BY', 'A'].map(find)
  return y && ry && by ? [y, ry, by, ...(a ? [a] : [])] : undefined
}

/** Channels of a pass side by side; all half stays half, anything else, and what is subsampled, becomes float. */
function interleave(planes: readonly ExrPlane[], part: ExrPart): PassBlock {
  const { width, height } = windowSize(part.dataWindow)
  const origin = {
    x: part.dataWindow[0] - part.displayWindow[0],
    y: part.dataWindow[1] - part.displayWindow[1],
  }
  // Whole numbers may be IDs of 32 bits, which no float holds: their bits travel as they are.
  if (
    planes.every((p) => p.values instanceof Uint32Array && p.channel.xSampling * p.channel.ySampling === 1)
  ) {
    const words = new Uint32Array(width * height * planes.length)
    for (const [c, { values }] of planes.entries())
      for (let i = 0; i < width * height; i++) words[i * planes.length + c] = values[i]!
    return { width, height, ...origin, channels: planes.length, data: new Float32Array(words.buffer) }
  }
  const chroma = chromaPlanes(planes)
  const isSubsampled = planes.some(({ channel }) => channel.xSampling > 1 || channel.ySampling > 1)
  if (chroma || isSubsampled) {
    const full = (chroma ?? planes).map((plane) => atFullSize(plane, part.dataWindow))
    if (chroma) chromaToRgb(full[0]!, full[1]!, full[2]!)
    const channels = full.length
    const data = new Float32Array(width * height * channels)
    for (const [c, values] of full.entries())
      for (let i = 0; i < values.length; i++) data[i * channels + c] = values[i]!
    return { width, height, ...origin, channels, data }
  }
  const channels = planes.length
  const isHalf = planes.every((p) => p.values instanceof Uint16Array)
  const data = isHalf
    ? new Uint16Array(width * height * channels)
    : new Float32Array(width * height * channels)
  for (const [c, plane] of planes.entries()) {
    const { values } = plane
    if (isHalf) spread(data as Uint16Array, values as Uint16Array, c, channels)
    else if (values instanceof Float32Array) {
      // By words: an ID may be the bits of a float that is no number.
      spread(new Uint32Array(data.buffer), new Uint32Array(values.buffer), c, channels)
    } else for (let i = 0; i < width * height; i++) data[i * channels + c] = sampleOf(plane, i)
  }
  return { width, height, ...origin, channels, data }
}

/** Puts the values of one channel at its places among those of all. */
function spread<T extends Uint16Array | Uint32Array>(to: T, from: T, c: number, channels: number): void {
  for (let i = 0, o = c; i < from.length; i++, o += channels) to[o] = from[i]!
}

/** What the chromaticities of a part mean: as its header says, else Rec.709 (OpenEXR: "Standard Attributes"). */
function partColour({ attributes }: ExrPart): FileColour {
  const given = attributes.get('chromaticities')
  const container = attributes.get('acesImageContainerFlag')
  const view = (bytes: Uint8Array) => new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  if (given?.type === 'chromaticities' && given.value.length >= 32) {
    const at = (i: number): readonly [number, number] => [
      view(given.value).getFloat32(i * 8, true),
      view(given.value).getFloat32(i * 8 + 4, true),
    ]
    const found: Chromaticities = { red: at(0), green: at(1), blue: at(2), white: at(3) }
    return colourOf(found, 'linear', 'its chromaticities say so')
  }
  if (container?.value.length === 4 && view(container.value).getInt32(0, true) === 1)
    return namedColour('aces2065-1', 'linear', 'it is marked as an ACES container')
  return namedColour('rec709', 'linear', 'as is usual for EXR')
}

/**
 * Premultiplied light of three or four planes, all half or all float, through a matrix; opaque where there is no alpha. Out of the planes in one loop,
 * so that frames of 4K cost little more than without; undefined where planes are otherwise.
 */
function lightThrough(planes: readonly ExrPlane[], part: ExrPart, matrix: Matrix): PassBlock | undefined {
  const isPlain = planes.every(({ channel }) => channel.xSampling * channel.ySampling === 1)
  if (!isPlain || planes.length < 3 || planes.length > 4 || chromaPlanes(planes)) return undefined
  const [a, b, c, d, e, f, g, h, i] = matrix as [number, number, number, number, number, number, number, number, number] // prettier-ignore
  const values = planes.map((plane) => plane.values)
  const [x, y, z] = [values[0]!, values[1]!, values[2]!]
  const alpha = values[3]
  const { width, height } = windowSize(part.dataWindow)
  const out = new Float32Array(width * height * 4)
  if (values.every((v) => v instanceof Uint16Array)) {
    const halves = halfTable()
    for (let p = 0, o = 0; o < out.length; p++, o += 4) {
      const red = halves[x[p]!]!
      const green = halves[y[p]!]!
      const blue = halves[z[p]!]!
      out[o] = a * red + b * green + c * blue
      out[o + 1] = d * red + e * green + f * blue
      out[o + 2] = g * red + h * green + i * blue
      out[o + 3] = alpha ? halves[alpha[p]!]! : 1
    }
  } else if (values.every((v) => v instanceof Float32Array))
    for (let p = 0, o = 0; o < out.length; p++, o += 4) {
      const [red, green, blue] = [x[p]!, y[p]!, z[p]!]
      out[o] = a * red + b * green + c * blue
      out[o + 1] = d * red + e * green + f * blue
      out[o + 2] = g * red + h * green + i * blue
      out[o + 3] = alpha ? alpha[p]! : 1
    }
  else return undefined
  const [x0, y0] = part.dataWindow
  return {
    width,
    height,
    x: x0 - part.displayWindow[0],
    y: y0 - part.displayWindow[1],
    channels: 4,
    data: out,
  }
}

/** Stored light into the space that is asked for. */
function matrixOf(as: ReadAs | undefined, own: FileColour): Matrix {
  const toRec709 = as?.primaries ? toWorking(as.primaries) : own.toWorking
  const { fromRec709 } = workingSpace(as?.into)
  return as?.into === undefined ? toRec709 : multiply(fromRec709, toRec709)
}

/** Stored colour of an EXR as light in the working space: as its header says, or otherwise by hand. */
function reread(block: PassBlock, as: ReadAs, own: FileColour): PassBlock {
  const { width, height, channels, data } = block
  if (channels < 3 || channels > 4) return block
  const matrix = matrixOf(as, own)
  const halves = data instanceof Uint16Array ? halfTable() : undefined
  const stored = halves ? Float32Array.from(data, (code) => halves[code]!) : (data as Float32Array)
  const samples: Samples = {
    width,
    height,
    channels: ['R', 'G', 'B', 'A'].slice(0, channels),
    data: stored,
    most: 1,
  }
  const light = samplesToLinear(samples, as.encoding ?? 'linear', as.alpha ?? 'premultiplied')
  throughMatrix(light, matrix)
  return { ...block, channels: 4, data: light }
}

function openExr(bytes: Uint8Array): MediaFile {
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
  // Every chunk holds all channels of its part: they are unpacked together, once.
  const unpacked = new Map<number, ReturnType<typeof readExrPart>>()
  const planesOf = (index: number) => {
    const read = unpacked.get(index) ?? readExrPart(bytes, file, index, { zlib: nodeZlib })
    unpacked.set(index, read)
    return read.planes
  }
  return {
    info,
    masks,
    noticed: () =>
      [...unpacked].flatMap(([index, { missingChunks }]) =>
        missingChunks > 0
          ? [
              `${missingChunks} of ${missingChunks === 1 ? 'its blocks' : 'its blocks of lines'}${file.parts[index]!.name ? ` in the part ${file.parts[index]!.name}` : ''} ${missingChunks === 1 ? 'is' : 'are'} missing and stay black; the file may not have been written to its end`,
            ]
          : [],
      ),
    readPass(name, as) {
      const pass = passes.find((p) => p.name === name)
      if (!pass) throw new FormatError('exr', 0, `it has no pass named ${name}`)
      const part = file.parts[pass.part]!
      const planes = planesOf(pass.part)
      const own = pass.channels.map((c) => planes.get(c)!)
      const isLight = as ? !as.isData : rulesOf(pass.kind).isLight
      if (!isLight) return interleave(own, part)
      const colour = partColour(part)
      const isLinear = (as?.encoding ?? 'linear') === 'linear'
      const isPlain = isLinear && (as?.alpha ?? 'premultiplied') === 'premultiplied'
      const matrix = matrixOf(as, colour)
      if (isPlain && isIdentity(matrix)) return interleave(own, part)
      const moved = isPlain ? lightThrough(own, part, matrix) : undefined
      return moved ?? reread(interleave(own, part), as ?? { isData: false }, colour)
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
      const linear = isData
        ? samplesToLinear(samples, 'linear', 'premultiplied')
        : samplesToLinear(samples, as?.encoding ?? colour.curve, as?.alpha ?? alpha)
      const matrix = matrixOf(as, colour)
      const isMoved = !isData && !isGrey && !isIdentity(matrix)
      if (isMoved) throughMatrix(linear, matrix)
      const values = isGrey ? linear.filter((_, i) => i % 4 === 0) : linear
      // Eight bits fit a half with room to spare; sixteen do not.
      return {
        width,
        height,
        x: 0,
        y: 0,
        channels: passChannels.length,
        data: most === 255 && !isMoved ? numbersToHalves(values) : values,
      }
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

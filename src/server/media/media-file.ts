import { guessPassKind, type Pass } from '../../core/comp/media.ts'
import { isExr, readExrHeader, windowSize, type ExrPart, type Window } from '../../core/formats/exr-header.ts'
import { exrPasses } from '../../core/formats/exr-passes.ts'
import { readExrPart, type ExrPlane } from '../../core/formats/exr-read.ts'
import { atFullSize, chromaToRgb, sampleOf } from '../../core/formats/exr-subsampled.ts'
import { FormatError } from '../../core/formats/format-error.ts'
import type { PassBlock } from '../../core/formats/pass-block.ts'
import { isPng, pngToLinear, readPng, readPngHeader } from '../../core/formats/png.ts'
import { numberToHalf } from '../../core/picture/half.ts'
import { nodeZlib } from './node-zlib.ts'

export interface PartInfo {
  readonly name: string
  readonly type: string
  readonly compression: string
  readonly channels: readonly { name: string; type: string; xSampling: number; ySampling: number }[]
}

/** What a file holds, as far as its headers say. */
export interface MediaInfo {
  readonly format: 'exr' | 'png' | 'jpeg' | 'webp' | 'tiff' | 'hdr'
  readonly width: number
  readonly height: number
  readonly dataWindow: Window
  readonly displayWindow: Window
  readonly parts: readonly PartInfo[]
  readonly passes: readonly Pass[]
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
  /** One pass for an engine: colour premultiplied and scene-linear, data as they are. */
  readPass(name: string): PassBlock
  /** Undefined where the file has no pixel there. */
  storedPixels(points: readonly (readonly [number, number])[]): (StoredPixel | undefined)[]
}

/** Opens a picture by its contents, whatever its name ends with. Throws FormatError. */
export function openMediaFile(bytes: Uint8Array): MediaFile {
  if (isExr(bytes)) return openExr(bytes)
  if (isPng(bytes)) return openPng(bytes)
  if (bytes.length === 0) throw new FormatError('picture', 0, 'it is empty')
  throw new FormatError('picture', 0, 'it is neither EXR, PNG, TIFF, JPEG, WebP nor Radiance HDR')
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
  for (const [c, plane] of planes.entries())
    for (let i = 0; i < width * height; i++)
      data[i * channels + c] = isHalf ? plane.values[i]! : sampleOf(plane, i)
  return { width, height, ...origin, channels, data }
}

function openExr(bytes: Uint8Array): MediaFile {
  const file = readExrHeader(bytes)
  const first = file.parts[0]!
  const passes = exrPasses(file)
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
    passes: passes.map(({ name, kind, channels, type }) => ({ name, kind, channels, type })),
    warnings: [],
  }
  // Every chunk holds all channels of its part: they are unpacked together, once.
  const unpacked = new Map<number, ReadonlyMap<string, ExrPlane>>()
  const planesOf = (index: number) => {
    const planes = unpacked.get(index) ?? readExrPart(bytes, file, index, { zlib: nodeZlib }).planes
    unpacked.set(index, planes)
    return planes
  }
  return {
    info,
    readPass(name) {
      const pass = passes.find((p) => p.name === name)
      if (!pass) throw new FormatError('exr', 0, `it has no pass named ${name}`)
      const part = file.parts[pass.part]!
      const planes = planesOf(pass.part)
      return interleave(
        pass.channels.map((c) => planes.get(c)!),
        part,
      )
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

function openPng(bytes: Uint8Array): MediaFile {
  const header = readPngHeader(bytes)
  const { width, height } = header
  const names = {
    grey: 'Y',
    rgb: 'RGB',
    palette: header.chunks.includes('tRNS') ? 'RGBA' : 'RGB',
    'grey-alpha': 'YA',
    rgba: 'RGBA',
  }
  const channels = names[header.colourType].split(/(?:)/)
  const type = header.bitDepth === 16 ? 'uint16' : 'uint8'
  const window: Window = [0, 0, width - 1, height - 1]
  const warnings = ['gAMA', 'iCCP', 'cICP']
    .filter((chunk) => header.chunks.includes(chunk) && !header.chunks.includes('sRGB'))
    .map((chunk) => `its ${chunk} colour tag is not used; colours are read as sRGB`)
  return {
    info: {
      format: 'png',
      width,
      height,
      dataWindow: window,
      displayWindow: window,
      parts: [
        {
          name: '',
          type: 'scanline',
          compression: 'deflate',
          channels: channels.map((name) => ({ name, type, xSampling: 1, ySampling: 1 })),
        },
      ],
      passes: [{ name: 'beauty', kind: guessPassKind('beauty', 4), channels: ['R', 'G', 'B', 'A'], type }],
      warnings,
    },
    readPass() {
      const samples = readPng(bytes)
      const linear = pngToLinear(samples)
      // Eight bits fit a half with room to spare; sixteen do not.
      const data = samples.bitDepth === 16 ? linear : Uint16Array.from(linear, numberToHalf)
      return { width, height, x: 0, y: 0, channels: 4, data }
    },
    storedPixels(points) {
      const samples = readPng(bytes)
      const stride = samples.channels.length
      return points.map(([x, y]) => {
        if (x < 0 || y < 0 || x >= width || y >= height) return undefined
        const values = samples.channels.map(
          (name, c) => [name, samples.data[(y * width + x) * stride + c]!] as const,
        )
        return [{ part: '', values: Object.fromEntries(values) }]
      })
    },
  }
}

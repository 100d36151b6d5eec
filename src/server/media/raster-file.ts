import { fromArrayBuffer } from 'geotiff'
import sharp from 'sharp'
import type { Window } from '../../core/formats/exr-header.ts'
import { FormatError } from '../../core/formats/format-error.ts'
import { pngToLinear, type PngSamples } from '../../core/formats/png.ts'
import { isRadianceHdr, readRadianceHdr } from '../../core/formats/radiance-hdr.ts'
import { numberToHalf } from '../../core/picture/half.ts'
import { openMediaFile, type MediaFile, type MediaInfo } from './media-file.ts'

// Pictures of one pass, decoded whole when they are opened.

const mostPixels = 2 ** 28

/** Stored samples of a picture, interleaved, and their names. */
interface Raster {
  readonly format: MediaInfo['format']
  readonly width: number
  readonly height: number
  readonly names: readonly string[]
  readonly samples: Uint8Array | Uint16Array | Float32Array
  readonly compression: string
  /** Colour has been multiplied by alpha already. */
  readonly isPremultiplied: boolean
  readonly warnings: readonly string[]
}

function startsWith(bytes: Uint8Array, ...codes: number[]): boolean {
  return codes.every((code, i) => bytes[i] === code)
}
const isJpeg = (bytes: Uint8Array) => startsWith(bytes, 0xff, 0xd8, 0xff)
const isTiff = (bytes: Uint8Array) =>
  startsWith(bytes, 0x49, 0x49, 0x2a, 0) ||
  startsWith(bytes, 0x4d, 0x4d, 0, 0x2a) ||
  startsWith(bytes, 0x49, 0x49, 0x2b, 0) ||
  startsWith(bytes, 0x4d, 0x4d, 0, 0x2b)
const isWebp = (bytes: Uint8Array) =>
  startsWith(bytes, 0x52, 0x49, 0x46, 0x46) && startsWith(bytes.subarray(8), 0x57, 0x45, 0x42, 0x50)

function checkSize(format: string, width: number, height: number): void {
  if (width < 1 || height < 1 || width * height > mostPixels)
    throw new FormatError(format, 0, `its size of ${width} × ${height} pixels is not one Zafiro takes`)
}

const letters = (count: number) => (count < 3 ? ['Y', 'A'] : ['R', 'G', 'B', 'A']).slice(0, count)

async function readByLibvips(bytes: Uint8Array, format: 'jpeg' | 'webp'): Promise<Raster> {
  const image = sharp(bytes, { limitInputPixels: mostPixels, failOn: 'error' })
  const { icc } = await image.metadata()
  // Pixels as they are: neither turned nor converted by a profile.
  const { data, info } = await image.raw().toBuffer({ resolveWithObject: true })
  const warnings = icc ? ['its colour profile is not used; colours are read as sRGB'] : []
  const samples = new Uint8Array(data)
  return {
    format,
    width: info.width,
    height: info.height,
    names: letters(info.channels),
    samples,
    compression: format,
    isPremultiplied: false,
    warnings,
  }
}

async function readTiff(bytes: Uint8Array): Promise<Raster> {
  const file = await fromArrayBuffer(bytes.slice().buffer)
  const image = await file.getImage()
  const [width, height] = [image.getWidth(), image.getHeight()]
  checkSize('tiff', width, height)
  const read = await image.readRasters({ interleave: true })
  const count = image.getSamplesPerPixel()
  if (count > 4)
    throw new FormatError('tiff', 0, `its ${count} samples a pixel are not read; write it as RGBA`)
  const isKnown = read instanceof Uint8Array || read instanceof Uint16Array || read instanceof Float32Array
  if (!isKnown) throw new FormatError('tiff', 0, 'its samples are neither of 8, of 16 bits, nor floats')
  const directory = image.getFileDirectory() as unknown as {
    getValue?: (tag: string) => unknown
    ExtraSamples?: unknown
  }
  const extra = directory.getValue ? directory.getValue('ExtraSamples') : directory.ExtraSamples
  const kind = Array.isArray(extra) || ArrayBuffer.isView(extra) ? (extra as unknown as number[])[0] : extra
  return {
    format: 'tiff',
    width,
    height,
    names: letters(count),
    samples: read,
    compression: 'tiff',
    isPremultiplied: kind === 1,
    warnings: [],
  }
}

/** Premultiplied scene-linear RGBA: integers are sRGB codes, floats are linear. */
function toLinear({ width, height, names, samples, isPremultiplied }: Raster): Float32Array {
  const isFloat = samples instanceof Float32Array
  if (!isFloat && !isPremultiplied) {
    const channels = names as PngSamples['channels']
    return pngToLinear({
      width,
      height,
      channels,
      bitDepth: samples instanceof Uint16Array ? 16 : 8,
      data: samples,
    })
  }
  const most = isFloat ? 1 : samples instanceof Uint16Array ? 65535 : 255
  const stride = names.length
  const straight = new Float32Array(width * height * 4)
  const [alphaAt, isGrey] = [names.indexOf('A'), names[0] === 'Y']
  for (let i = 0, p = 0; i < straight.length; i += 4, p += stride) {
    const alpha = alphaAt < 0 ? 1 : samples[p + alphaAt]! / most
    for (let c = 0; c < 3; c++) {
      const value = samples[p + (isGrey ? 0 : c)]! / most
      straight[i + c] = isFloat ? (isPremultiplied ? value : value * alpha) : value
    }
    straight[i + 3] = alpha
  }
  if (isFloat) return straight
  // Encoded colour that was multiplied by alpha: divided, decoded and multiplied again, in 16 bits.
  const codes = Uint16Array.from(straight, (v, i) =>
    Math.round(65535 * Math.min(1, i % 4 === 3 ? v : v / Math.max(straight[i | 3]!, 1 / 65535))),
  )
  return pngToLinear({ width, height, channels: ['R', 'G', 'B', 'A'], bitDepth: 16, data: codes })
}

function rasterFile(raster: Raster): MediaFile {
  const { format, width, height, names, samples, compression, warnings } = raster
  const type = samples instanceof Float32Array ? 'float' : samples instanceof Uint16Array ? 'uint16' : 'uint8'
  const window: Window = [0, 0, width - 1, height - 1]
  const channels = names.map((name) => ({ name, type, xSampling: 1, ySampling: 1 }))
  return {
    info: {
      format,
      width,
      height,
      dataWindow: window,
      displayWindow: window,
      parts: [{ name: '', type: 'scanline', compression, channels }],
      passes: [{ name: 'beauty', kind: 'colour', channels: ['R', 'G', 'B', 'A'], type }],
      warnings,
    },
    readPass() {
      const linear = toLinear(raster)
      const data = type === 'uint8' ? Uint16Array.from(linear, numberToHalf) : linear
      return { width, height, x: 0, y: 0, channels: 4, data }
    },
    storedPixels: (points) =>
      points.map(([x, y]) => {
        if (x < 0 || y < 0 || x >= width || y >= height) return undefined
        const values = names.map((name, c) => [name, samples[(y * width + x) * names.length + c]!] as const)
        return [{ part: '', values: Object.fromEntries(values) }]
      }),
  }
}

/** Opens a picture of any format that is read, by its contents. Rejects with FormatError. */
export async function openMedia(bytes: Uint8Array): Promise<MediaFile> {
  if (isRadianceHdr(bytes)) {
    const { width, height, data } = readRadianceHdr(bytes)
    return rasterFile({
      format: 'hdr',
      width,
      height,
      names: ['R', 'G', 'B'],
      samples: data,
      compression: 'rle',
      isPremultiplied: true,
      warnings: [],
    })
  }
  const format = isJpeg(bytes) ? 'jpeg' : isWebp(bytes) ? 'webp' : isTiff(bytes) ? 'tiff' : undefined
  if (!format) return openMediaFile(bytes)
  try {
    return rasterFile(await (format === 'tiff' ? readTiff(bytes) : readByLibvips(bytes, format)))
  } catch (error) {
    if (error instanceof FormatError) throw error
    throw new FormatError(format, 0, error instanceof Error ? error.message : String(error))
  }
}

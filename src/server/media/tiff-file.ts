import { inflateSync } from 'node:zlib'
import { addDecoder, fromArrayBuffer, getDecoder, type GeoTIFF } from 'geotiff'
import { namedColour, profileColour } from '../../core/colour/file-colour.ts'
import { FormatError } from '../../core/formats/format-error.ts'
import { lzwDecode } from '../../core/formats/lzw.ts'
import { checkSamples } from './decode-budget.ts'
import type { Raster } from './media-file.ts'

const mostPixels = 2 ** 28
/** zlib packs 1,032 to 1 at best, LZW about 1,400 to 1. */
const mostGrowth = 1500

interface BlockParameters {
  readonly tileWidth: number
  readonly tileHeight: number
  readonly bitsPerSample: number | ArrayLike<number>
  readonly planarConfiguration: number
}

/** Bytes that a strip or tile holds when it is unpacked; a strip may say that it has more lines than the picture. */
function blockBytes({ tileWidth, tileHeight, bitsPerSample, planarConfiguration }: BlockParameters): number {
  const bits = typeof bitsPerSample === 'number' ? [bitsPerSample] : Array.from(bitsPerSample)
  const perPixel = planarConfiguration === 2 ? Math.max(...bits) : bits.reduce((a, b) => a + b, 0)
  return Math.min(Math.ceil((tileWidth * perPixel) / 8) * Math.min(tileHeight, 65536), 2 ** 31)
}

/** A way of unpacking that never gives more than a block holds, in place of the package's own. */
function bounded(unpack: (bytes: Uint8Array, most: number) => Uint8Array) {
  return class {
    constructor(private readonly parameters: BlockParameters) {}
    async decode(buffer: ArrayBuffer): Promise<ArrayBufferLike> {
      const plain = unpack(new Uint8Array(buffer), blockBytes(this.parameters))
      // As a block that was stored unpacked, it goes through the package's predictors.
      const stored = await getDecoder(1, this.parameters as never)
      return stored.decode(new Uint8Array(plain).buffer)
    }
  }
}
const lzw = bounded(lzwDecode)
const deflate = bounded((bytes, most) => inflateSync(bytes, { maxOutputLength: most }))
addDecoder(5, () => Promise.resolve(lzw as never))
addDecoder([8, 32946], () => Promise.resolve(deflate as never))

const letters = (count: number) => (count < 3 ? ['Y', 'A'] : ['R', 'G', 'B', 'A']).slice(0, count)

/** The colour profile of a TIFF: tag 34675 (ICC.1:2022, annex B.4). */
async function profileOf(
  directory: ReturnType<Awaited<ReturnType<GeoTIFF['getImage']>>['getFileDirectory']>,
): Promise<Uint8Array | undefined> {
  let found: unknown
  try {
    found = await directory.loadValue(34675)
  } catch {
    return undefined
  }
  return found instanceof Uint8Array
    ? found
    : Array.isArray(found)
      ? Uint8Array.from(found as number[])
      : undefined
}

/** Whether a TIFF holds JPEG data, which libvips reads. */
export async function isJpegTiff(bytes: Uint8Array): Promise<boolean> {
  const file = await fromArrayBuffer(new Uint8Array(bytes).buffer)
  const directory = (await file.getImage()).getFileDirectory()
  const compression: unknown = await directory.loadValue('Compression')
  return compression === 6 || compression === 7
}

/** Reads a TIFF's first picture. Rejects with FormatError. */
export async function readTiff(bytes: Uint8Array): Promise<Raster> {
  const file = await fromArrayBuffer(new Uint8Array(bytes).buffer)
  const image = await file.getImage()
  const [width, height, count] = [image.getWidth(), image.getHeight(), image.getSamplesPerPixel()]
  if (!(width >= 1 && height >= 1 && width * height <= mostPixels))
    throw new FormatError('tiff', 0, `its size of ${width} × ${height} pixels is not one Zafiro takes`)
  if (!(count >= 1 && count <= 4))
    throw new FormatError('tiff', 0, `its ${count} samples a pixel are not read; write it as RGBA`)
  checkSamples('tiff', width, height, count)
  if (width * height * count > bytes.length * mostGrowth)
    throw new FormatError(
      'tiff',
      0,
      `it says that it holds ${width} × ${height} pixels, which its ${(bytes.length / 1e3).toFixed(1)} kB can not`,
    )
  const read = await image.readRasters({ interleave: true })
  const isKnown = read instanceof Uint8Array || read instanceof Uint16Array || read instanceof Float32Array
  if (!isKnown) throw new FormatError('tiff', 0, 'its samples are neither of 8, of 16 bits, nor floats')
  if (read.length !== width * height * count)
    throw new FormatError('tiff', 0, `it holds ${read.length} samples instead of ${width * height * count}`)
  const directory = image.getFileDirectory() as unknown as {
    getValue?: (tag: string) => unknown
    ExtraSamples?: unknown
  }
  const extra = directory.getValue ? directory.getValue('ExtraSamples') : directory.ExtraSamples
  const kind = Array.isArray(extra) || ArrayBuffer.isView(extra) ? (extra as unknown as number[])[0] : extra
  const isFloat = read instanceof Float32Array
  const profile = await profileOf(image.getFileDirectory())
  return {
    format: 'tiff',
    compression: 'tiff',
    colour: profile
      ? profileColour(profile)
      : namedColour('rec709', isFloat ? 'linear' : 'srgb', `as is usual for ${isFloat ? 'floats' : 'TIFF'}`),
    alpha: kind === 1 ? 'premultiplied' : 'straight',
    warnings: [],
    samples: {
      width,
      height,
      channels: letters(count),
      data: read,
      most: isFloat ? 1 : read instanceof Uint16Array ? 65535 : 255,
    },
  }
}

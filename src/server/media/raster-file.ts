import sharp from 'sharp'
import { namedColour, profileColour } from '../../core/colour/file-colour.ts'
import { FormatError } from '../../core/formats/format-error.ts'
import { isPlainPng, isPng, pngColour, readPngHeader } from '../../core/formats/png.ts'
import { isRadianceHdr, readHdrHeader, readRadianceHdr } from '../../core/formats/radiance-hdr.ts'
import { checkSamples } from './decode-budget.ts'
import { openMediaFile, rasterFile, type MediaFile, type Raster } from './media-file.ts'
import { isJpegTiff, readTiff } from './tiff-file.ts'

// Pictures of one pass, decoded whole when they are opened.

const mostPixels = 2 ** 28

/** Flat pictures pack well, but not better than this: zlib 1,032 to 1; JPEG a few bits for a block. */
const mostPixelsPerByte = { jpeg: 400, webp: 30_000, png: 8300, tiff: 400 } as const

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

const letters = (count: number) => (count < 3 ? ['Y', 'A'] : ['R', 'G', 'B', 'A']).slice(0, count)

async function readByLibvips(bytes: Uint8Array, format: 'jpeg' | 'webp' | 'png' | 'tiff'): Promise<Raster> {
  const image = sharp(bytes, { limitInputPixels: mostPixels, failOn: 'error', ignoreIcc: true })
  const { icc, width, height, channels, space } = await image.metadata()
  if (width * height > bytes.length * mostPixelsPerByte[format] + 65_536)
    throw new FormatError(
      format,
      0,
      `it says that it holds ${width} × ${height} pixels, which its ${(bytes.length / 1e3).toFixed(0)} kB can not`,
    )
  checkSamples(format, width, height, channels)
  // Pixels as they are: neither turned nor converted by a profile.
  const plain = channels < 3 ? image.toColourspace('b-w') : image
  const { data, info } = await plain.raw().toBuffer({ resolveWithObject: true })
  const inks =
    space === 'cmyk'
      ? 'its colours are inks (CMYK), which are turned into sRGB without their profile: look at them with care'
      : undefined
  const own =
    format === 'png'
      ? pngColour(readPngHeader(bytes))
      : icc && inks === undefined
        ? profileColour(icc)
        : namedColour('rec709', 'srgb', `as is usual for ${format.toUpperCase()}`, inks)
  return {
    format,
    compression: format,
    colour: own,
    alpha: 'straight',
    warnings: [],
    samples: {
      width: info.width,
      height: info.height,
      channels: letters(info.channels),
      data: new Uint8Array(data),
      most: 255,
    },
  }
}

/** Opens a picture of any format that is read, by its contents. Rejects with FormatError. */
export async function openMedia(bytes: Uint8Array): Promise<MediaFile> {
  if (isRadianceHdr(bytes)) {
    const size = readHdrHeader(bytes)
    checkSamples('hdr', size.width, size.height, 3)
    const { width, height, data } = readRadianceHdr(bytes)
    return rasterFile({
      format: 'hdr',
      compression: 'rle',
      colour: namedColour('rec709', 'linear', 'as is usual for Radiance HDR'),
      alpha: 'premultiplied',
      warnings: [],
      samples: { width, height, channels: ['R', 'G', 'B'], data, most: 1 },
    })
  }
  const isOddPng = isPng(bytes) && !isPlainPng(readPngHeader(bytes))
  const format = isOddPng
    ? 'png'
    : isJpeg(bytes)
      ? 'jpeg'
      : isWebp(bytes)
        ? 'webp'
        : isTiff(bytes)
          ? 'tiff'
          : undefined
  if (!format) return openMediaFile(bytes)
  try {
    const isOwnTiff = format === 'tiff' && !(await isJpegTiff(bytes))
    return rasterFile(await (isOwnTiff ? readTiff(bytes) : readByLibvips(bytes, format)))
  } catch (error) {
    if (error instanceof FormatError) throw error
    // What a package says of its own inside is of no use to anyone.
    const isInner =
      error instanceof TypeError || error instanceof RangeError || error instanceof ReferenceError
    const words = error instanceof Error ? error.message : String(error)
    throw new FormatError(format, 0, isInner ? 'its data are damaged' : words)
  }
}

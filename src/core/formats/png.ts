import { convertIndexedToRgb, decode, encode, type DecodedPng } from 'fast-png'
import { srgbToLinear } from '../picture/colour.ts'
import { ByteReader } from './byte-reader.ts'
import { FormatError } from './format-error.ts'

const limits = { side: 65536, pixels: 2 ** 28 } as const
const signature = [0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a]

/** What the header chunks of a PNG say. Source: W3C PNG (third edition). */
export interface PngHeader {
  readonly width: number
  readonly height: number
  readonly bitDepth: number
  readonly colourType: 'grey' | 'rgb' | 'palette' | 'grey-alpha' | 'rgba'
  /** Names of the chunks, in order. */
  readonly chunks: readonly string[]
}

/** Samples as the file stores them, palette resolved: 0 … 2^bitDepth − 1, interleaved, row by row. */
export interface PngSamples {
  readonly width: number
  readonly height: number
  readonly channels: readonly ('Y' | 'R' | 'G' | 'B' | 'A')[]
  readonly bitDepth: number
  readonly data: Uint8Array | Uint16Array
}

export function isPng(bytes: Uint8Array): boolean {
  return signature.every((byte, i) => bytes[i] === byte)
}

/** Reads the header and the list of chunks. Throws FormatError; sizes beyond the limits are refused here. */
export function readPngHeader(bytes: Uint8Array): PngHeader {
  if (!isPng(bytes))
    throw new FormatError('png', 0, bytes.length === 0 ? 'it is empty' : 'it does not begin as a PNG does')
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  const reader: ByteReader = new ByteReader(bytes, 'png', 8)
  const chunks: string[] = []
  let header: Omit<PngHeader, 'chunks'> | undefined
  while (chunks.at(-1) !== 'IEND') {
    const at = reader.at
    reader.take(8, 'a chunk header')
    const length = view.getUint32(at)
    const name = String.fromCharCode(...bytes.subarray(at + 4, at + 8))
    if (!header && name !== 'IHDR') reader.fail(`it begins with ${name}, not with IHDR`, at)
    reader.take(length, `chunk ${name}`)
    reader.take(4, `the check sum of ${name}`)
    chunks.push(name)
    if (name !== 'IHDR') continue
    if (length !== 13) reader.fail('its header has the wrong length', at)
    const [width, height] = [view.getUint32(at + 8), view.getUint32(at + 12)]
    if (
      width < 1 ||
      height < 1 ||
      width > limits.side ||
      height > limits.side ||
      width * height > limits.pixels
    )
      reader.fail(`its size of ${width} × ${height} pixels is not one Zafiro takes`, at)
    const colourType = (['grey', , 'rgb', 'palette', 'grey-alpha', , 'rgba'] as const)[bytes[at + 17]!]
    if (!colourType) reader.fail(`its colour type ${bytes[at + 17]} does not exist`, at)
    header = { width, height, bitDepth: bytes[at + 16]!, colourType }
  }
  return { ...header!, chunks }
}

/** Decodes to stored samples. Throws FormatError. */
export function readPng(bytes: Uint8Array): PngSamples {
  const header = readPngHeader(bytes)
  let image: DecodedPng
  try {
    image = decode(bytes, { checkCrc: true })
  } catch (error) {
    throw new FormatError('png', 8, error instanceof Error ? error.message : String(error))
  }
  const { width, height } = image
  if (image.palette) {
    const hasAlpha = image.palette[0]?.length === 4
    const data = Uint8Array.from(convertIndexedToRgb(image))
    return { width, height, channels: hasAlpha ? ['R', 'G', 'B', 'A'] : ['R', 'G', 'B'], bitDepth: 8, data }
  }
  const names = {
    grey: ['Y'],
    rgb: ['R', 'G', 'B'],
    palette: ['R'],
    'grey-alpha': ['Y', 'A'],
    rgba: ['R', 'G', 'B', 'A'],
  } as const
  const data = image.data instanceof Uint16Array ? image.data : Uint8Array.from(image.data)
  if (data.length !== width * height * names[header.colourType].length)
    throw new FormatError(
      'png',
      8,
      `its ${image.depth}-bit samples are not read yet; write it with 8 or 16 bits`,
    )
  return { width, height, channels: names[header.colourType], bitDepth: image.depth, data }
}

/** Samples to premultiplied scene-linear RGBA floats, taking colour as sRGB-encoded and straight. */
export function pngToLinear({ width, height, channels, bitDepth, data }: PngSamples): Float32Array {
  const most = 2 ** bitDepth - 1
  const linear = Float32Array.from({ length: most + 1 }, (_, code) => srgbToLinear(code / most))
  const out = new Float32Array(width * height * 4)
  const stride = channels.length
  const alphaAt = channels.indexOf('A')
  const colourAt = channels[0] === 'Y' ? [0, 0, 0] : [0, 1, 2]
  for (let i = 0, p = 0; i < out.length; i += 4, p += stride) {
    const alpha = alphaAt < 0 ? 1 : data[p + alphaAt]! / most
    for (let c = 0; c < 3; c++) out[i + c] = linear[data[p + colourAt[c]!]!]! * alpha
    out[i + 3] = alpha
  }
  return out
}

/** RGBA samples (straight, sRGB-encoded codes) as a PNG of 8 or 16 bits. */
export function writePng(width: number, height: number, data: Uint8Array | Uint16Array): Uint8Array {
  const depth = data instanceof Uint16Array ? 16 : 8
  return encode({ width, height, data, channels: 4, depth }, { zlib: { level: 4 } })
}

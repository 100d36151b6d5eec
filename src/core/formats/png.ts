import { convertIndexedToRgb, decode, encode, type DecodedPng } from 'fast-png'
import type { Encoding } from '../comp/media.ts'
import { ByteReader } from './byte-reader.ts'
import { FormatError } from './format-error.ts'
import type { Samples } from './samples.ts'

const limits = { side: 65536, pixels: 2 ** 28 } as const
const signature = [0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a]

/** What the header chunks of a PNG say. Source: W3C PNG (third edition). */
export interface PngHeader {
  readonly width: number
  readonly height: number
  readonly bitDepth: number
  readonly colourType: 'grey' | 'rgb' | 'palette' | 'grey-alpha' | 'rgba'
  readonly isInterlaced: boolean
  /** Names of the chunks, in order. */
  readonly chunks: readonly string[]
  /** The exponent that gAMA gives for encoding, times 100,000. */
  readonly gamma?: number
  /** Name of the embedded colour profile. */
  readonly profile?: string
  /** Code of the transfer function that cICP names (ITU-T H.273). */
  readonly transfer?: number
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
  let tags: Pick<PngHeader, 'gamma' | 'profile' | 'transfer'> = {}
  while (chunks.at(-1) !== 'IEND') {
    const at = reader.at
    reader.take(8, 'a chunk header')
    const length = view.getUint32(at)
    const name = String.fromCharCode(...bytes.subarray(at + 4, at + 8))
    if (!header && name !== 'IHDR') reader.fail(`it begins with ${name}, not with IHDR`, at)
    reader.take(length, `chunk ${name}`)
    reader.take(4, `the check sum of ${name}`)
    chunks.push(name)
    if (name === 'gAMA' && length === 4) tags = { ...tags, gamma: view.getUint32(at + 8) }
    if (name === 'cICP' && length === 4) tags = { ...tags, transfer: bytes[at + 9]! }
    if (name === 'iCCP') {
      const text = bytes.subarray(at + 8, at + 8 + Math.min(length, 80))
      const end = text.indexOf(0)
      tags = { ...tags, profile: new TextDecoder('latin1').decode(end < 0 ? text : text.subarray(0, end)) }
    }
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
    header = {
      width,
      height,
      bitDepth: bytes[at + 16]!,
      colourType,
      isInterlaced: bytes[at + 20] === 1,
    }
  }
  return { ...header!, ...tags, chunks }
}

/**
 * How colour is encoded, by the strongest tag: cICP, iCCP, sRGB, gAMA (that order, W3C PNG third edition, 4.3), and what is
 * to be said of tags that are not followed. Without a tag colour is taken as sRGB.
 */
export function pngEncoding({ chunks, gamma, profile, transfer }: PngHeader): {
  encoding: Encoding
  warnings: string[]
} {
  if (transfer !== undefined) {
    const known = ({ 8: 'linear', 13: 'srgb', 4: 'power-2.2' } as const)[transfer]
    if (known) return { encoding: known, warnings: [] }
    return {
      encoding: 'srgb',
      warnings: [
        `its cICP tag names transfer function ${transfer}, which is not followed; colours are read as sRGB`,
      ],
    }
  }
  if (profile !== undefined && !/srgb/i.test(profile))
    return {
      encoding: 'srgb',
      warnings: [`its colour profile “${profile}” is not followed; colours are read as sRGB`],
    }
  if (profile !== undefined || chunks.includes('sRGB') || gamma === undefined)
    return { encoding: 'srgb', warnings: [] }
  if (Math.abs(gamma - 100_000) < 1000) return { encoding: 'linear', warnings: [] }
  if (Math.abs(gamma - 45_455) < 500) return { encoding: 'power-2.2', warnings: [] }
  return {
    encoding: 'srgb',
    warnings: [`its gAMA tag of ${gamma / 100_000} is not followed; colours are read as sRGB`],
  }
}

/** Whether readPng takes it: few bits are left to a larger library unless they index a palette row by row. */
export function isPlainPng({ bitDepth, colourType, isInterlaced }: PngHeader): boolean {
  return bitDepth >= 8 || (colourType === 'palette' && !isInterlaced)
}

/** Decodes to stored samples, palette and the colour that stands for "see-through" resolved. Throws FormatError. */
export function readPng(bytes: Uint8Array): Samples {
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
    return { width, height, channels: hasAlpha ? ['R', 'G', 'B', 'A'] : ['R', 'G', 'B'], most: 255, data }
  }
  const letters = {
    grey: ['Y'],
    rgb: ['R', 'G', 'B'],
    palette: ['R'],
    'grey-alpha': ['Y', 'A'],
    rgba: ['R', 'G', 'B', 'A'],
  }[header.colourType]
  const most = image.depth === 16 ? 65535 : 255
  const data = image.data instanceof Uint16Array ? image.data : Uint8Array.from(image.data)
  if (image.depth < 8 || data.length !== width * height * letters.length)
    throw new FormatError('png', 8, `its ${image.depth}-bit samples do not fill its size`)
  const clear = image.transparency
  if (!clear || clear.length !== letters.length) return { width, height, channels: letters, most, data }
  const stride = letters.length + 1
  const withAlpha =
    most === 255 ? new Uint8Array(width * height * stride) : new Uint16Array(width * height * stride)
  for (let p = 0; p < width * height; p++) {
    let isClear = true
    for (let c = 0; c < letters.length; c++) {
      const code = data[p * letters.length + c]!
      withAlpha[p * stride + c] = code
      if (code !== clear[c]) isClear = false
    }
    withAlpha[p * stride + letters.length] = isClear ? 0 : most
  }
  return { width, height, channels: [...letters, 'A'], most, data: withAlpha }
}

/** RGBA samples (straight, sRGB-encoded codes) as a PNG of 8 or 16 bits. */
export function writePng(width: number, height: number, data: Uint8Array | Uint16Array): Uint8Array {
  const depth = data instanceof Uint16Array ? 16 : 8
  return encode({ width, height, data, channels: 4, depth }, { zlib: { level: 4 } })
}

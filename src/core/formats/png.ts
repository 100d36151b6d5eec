import { convertIndexedToRgb, decode, encode, type DecodedPng } from 'fast-png'
import { unzlibSync } from 'fflate'
import { codedColour, colourOf, namedColour, profileColour, type FileColour } from '../colour/file-colour.ts'
import type { Curve } from '../colour/curves.ts'
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
  /** The profile itself, unpacked; empty where that is damaged. */
  readonly profileBytes?: Uint8Array
  /** Codes of primaries and transfer function that cICP names (ITU-T H.273). */
  readonly coded?: readonly [primaries: number, transfer: number]
  /** White, red, green, blue as cHRM gives them, times 100,000. */
  readonly chromaticities?: readonly number[]
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
  let tags: Pick<PngHeader, 'gamma' | 'profile' | 'profileBytes' | 'coded' | 'chromaticities'> = {}
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
    if (name === 'cICP' && length === 4) tags = { ...tags, coded: [bytes[at + 8]!, bytes[at + 9]!] }
    if (name === 'cHRM' && length === 32)
      tags = { ...tags, chromaticities: Array.from({ length: 8 }, (_, i) => view.getUint32(at + 8 + i * 4)) }
    if (name === 'iCCP') {
      const text = bytes.subarray(at + 8, at + 8 + Math.min(length, 80))
      const end = text.indexOf(0)
      const packed = end < 0 ? undefined : bytes.subarray(at + 8 + end + 2, at + 8 + length)
      tags = {
        ...tags,
        profile: new TextDecoder('latin1').decode(end < 0 ? text : text.subarray(0, end)),
        profileBytes: unpackedProfile(packed),
      }
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

/** A profile is a few kilobytes; tables may be a megabyte. */
const mostProfile = 4e6

function unpackedProfile(packed: Uint8Array | undefined): Uint8Array {
  if (!packed) return new Uint8Array()
  try {
    return unzlibSync(packed, { out: new Uint8Array(mostProfile) })
  } catch {
    return new Uint8Array()
  }
}

/**
 * What colour means, by the strongest tag: cICP, iCCP, sRGB, then cHRM and gAMA (that order, W3C PNG third edition, 4.3). Without a tag colour is taken
 * as sRGB.
 */
export function pngColour({ chunks, gamma, profileBytes, coded, chromaticities }: PngHeader): FileColour {
  if (coded) {
    const found = codedColour(coded[0], coded[1], 'its cICP tag says so')
    if (found) return found
    return namedColour(
      'rec709',
      'srgb',
      'taken as that',
      `its cICP tag names primaries ${coded[0]} and transfer function ${coded[1]}, which are not followed: colours are read as sRGB. Say what they are, if that is wrong`,
    )
  }
  if (profileBytes) return profileColour(profileBytes)
  if (chunks.includes('sRGB')) return namedColour('rec709', 'srgb', 'its sRGB tag says so')
  // A gamma is the exponent that encodes; the tag has five digits.
  const power = gamma === undefined || gamma === 0 ? undefined : 100_000 / gamma
  const curve: Curve =
    power === undefined
      ? 'srgb'
      : Math.abs(power - 1) < 0.01
        ? 'linear'
        : Math.abs(power - 2.2) < 0.03
          ? 'power-2.2'
          : Math.abs(power - 2.4) < 0.03
            ? 'power-2.4'
            : { power }
  if (chromaticities) {
    const at = (i: number): readonly [number, number] => [
      chromaticities[i]! / 1e5,
      chromaticities[i + 1]! / 1e5,
    ]
    const half =
      power === undefined ? { doubt: 'its tags name primaries but no curve, which is taken as sRGB' } : {}
    return {
      ...colourOf({ white: at(0), red: at(2), green: at(4), blue: at(6) }, curve, 'its cHRM tag says so'),
      ...half,
    }
  }
  if (power !== undefined) return namedColour('rec709', curve, 'its gAMA tag says so')
  return namedColour('rec709', 'srgb', 'as is usual for PNG')
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

/** How codes of a PNG are meant: primaries by their code of ITU-T H.273 (1: those of sRGB) under the sRGB curve, or those of sRGB under a power. */
export type PngTag = { readonly primaries: number } | { readonly power: number }

/** RGBA samples (straight) as a PNG of 8 or 16 bits, tagged with what they mean; sRGB where left out. */
export function writePng(
  width: number,
  height: number,
  data: Uint8Array | Uint16Array,
  tag: PngTag = { primaries: 1 },
): Uint8Array {
  const depth = data instanceof Uint16Array ? 16 : 8
  const plain = encode({ width, height, data, channels: 4, depth }, { zlib: { level: 4 } })
  // Behind the header: signature, and 25 bytes of IHDR.
  const chunks =
    'power' in tag
      ? [chunk('gAMA', ...bytesOf(100_000 / tag.power)), chunk('cHRM', ...rec709Chunk)]
      : [chunk('cICP', tag.primaries, 13, 0, 1), ...(tag.primaries === 1 ? [chunk('sRGB', 0)] : [])]
  const tags = chunks.flatMap((c) => [...c])
  const out = new Uint8Array(plain.length + tags.length)
  out.set(plain.subarray(0, 33))
  out.set(tags, 33)
  out.set(plain.subarray(33), 33 + tags.length)
  return out
}

const bytesOf = (value: number) => {
  const v = Math.round(value)
  return [(v >>> 24) & 255, (v >>> 16) & 255, (v >>> 8) & 255, v & 255]
}
/** White, red, green, blue of Rec.709 in parts of 100,000. Source: W3C PNG, 11.3.2.1. */
const rec709Chunk = [31270, 32900, 64000, 33000, 30000, 60000, 15000, 6000].flatMap(bytesOf)

/** The check sum of PNG chunks. Source: W3C PNG, annex D. */
function checkSum(bytes: Uint8Array): number {
  let sum = 0xffffffff
  for (const byte of bytes) {
    sum ^= byte
    for (let bit = 0; bit < 8; bit++) sum = sum & 1 ? (sum >>> 1) ^ 0xedb88320 : sum >>> 1
  }
  return (sum ^ 0xffffffff) >>> 0
}

function chunk(name: string, ...data: number[]): Uint8Array {
  const out = new Uint8Array(12 + data.length)
  const view = new DataView(out.buffer)
  view.setUint32(0, data.length)
  for (let i = 0; i < 4; i++) out[4 + i] = name.charCodeAt(i)
  out.set(data, 8)
  view.setUint32(8 + data.length, checkSum(out.subarray(4, 8 + data.length)))
  return out
}

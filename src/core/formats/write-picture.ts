import {
  chromaticities,
  inverse,
  multiply,
  throughMatrix,
  toWorking,
  type OutputSpace,
} from '../colour/spaces.ts'
import { workingSpace, type WorkingName } from '../colour/working.ts'
import { linearToSrgb } from '../picture/colour.ts'
import { ditherBits, ditheredCode } from '../picture/dither.ts'
import type { Kernels } from '../kernels/kernels.ts'
import type { Picture } from '../picture/picture.ts'
import type { Zlib } from './exr-codecs.ts'
import type { ExrAttribute } from './exr-header.ts'
import {
  chromaticitiesAttribute,
  textAttribute,
  writeExr,
  writeExrParts,
  type ExrChannelData,
  type WrittenCompression,
} from './exr-write.ts'
import { writePng } from './png.ts'

/** Kinds of files; those of `byLibrary` are encoded on the server alone. */
export const outputFormats = [
  'exr',
  'png16',
  'png8',
  'exr-straight',
  'png16-premultiplied',
  'png8-premultiplied',
  'exr-float',
  'tiff16',
  'jpeg',
  'review',
  'review-straight',
] as const
export type OutputFormat = (typeof outputFormats)[number]
export const byLibrary = [
  'tiff16',
  'jpeg',
  'review',
  'review-straight',
] as const satisfies readonly OutputFormat[]
export type LibraryFormat = (typeof byLibrary)[number]
export type OwnFormat = Exclude<OutputFormat, LibraryFormat>
export const isByLibrary = (format: OutputFormat): format is LibraryFormat =>
  (byLibrary as readonly string[]).includes(format)

type Ending = 'exr' | 'png' | 'tif' | 'jpg'

/** How a format is written: kind of file, bits, and whether colour is multiplied by alpha (each kind's own way without more words). */
const writing: Readonly<
  Record<OutputFormat, { ending: Ending; bits: 8 | 16 | 32; isPremultiplied: boolean }>
> = {
  exr: { ending: 'exr', bits: 16, isPremultiplied: true },
  png16: { ending: 'png', bits: 16, isPremultiplied: false },
  png8: { ending: 'png', bits: 8, isPremultiplied: false },
  'exr-straight': { ending: 'exr', bits: 16, isPremultiplied: false },
  'png16-premultiplied': { ending: 'png', bits: 16, isPremultiplied: true },
  'png8-premultiplied': { ending: 'png', bits: 8, isPremultiplied: true },
  'exr-float': { ending: 'exr', bits: 32, isPremultiplied: true },
  tiff16: { ending: 'tif', bits: 16, isPremultiplied: false },
  jpeg: { ending: 'jpg', bits: 8, isPremultiplied: true },
  // As on the screen, over black, for movies.
  review: { ending: 'png', bits: 8, isPremultiplied: true },
  'review-straight': { ending: 'png', bits: 8, isPremultiplied: false },
}

/**
 * The file of a frame: 'grotto-descent.0007' as png8-premultiplied → 'grotto-descent-premultiplied.0007.8bit.png'. What is not its
 * kind's own way is said before the number at its end, so that no two formats have one name.
 */
export function fileName(base: string, format: OutputFormat): string {
  const { ending, bits } = writing[format]
  const alpha = format.includes('-') ? format.slice(format.indexOf('-')) : ''
  const marked = alpha === '' ? base : base.replace(/(\.-?\d+)?$/, (number) => alpha + number)
  const kind = format.startsWith('review') ? '.review' : ending === 'png' && bits === 8 ? '.8bit' : ''
  return `${marked}${kind}.${ending}`
}

/** A file is a picture for movies, with alpha or over black. */
export const isReview = (file: string, hasAlpha: boolean): boolean =>
  file.endsWith('.review.png') && /-straight(\.-?\d+)?\.review\.png$/.test(file) === hasAlpha

/**
 * Encodes a finished picture: EXR as scene-linear half (values beyond 65504 are held there) or float RGBA, PNG as sRGB codes clipped to 0–1.
 * Where colour is straight, light without cover (alpha 0) is written as it is: no straight colour can say it. `name` is noted
 * in the EXR header. With `dither`, a frame's number, 8-bit codes are rounded up and down so that no bands are seen.
 */
export function encodePicture(
  picture: Picture,
  format: OwnFormat,
  name: string,
  kernels: Pick<Kernels, 'floatToHalf'>,
  zlib: Zlib,
  dither?: number,
  { layers = [], compression = 'zip', space: asked, working }: FileChoice = {},
): Uint8Array {
  const { width, height } = picture
  const { ending, bits, isPremultiplied } = writing[format]
  const space = asked ?? (ending === 'exr' ? (working ?? 'rec709') : 'rec709')
  const plain = isPremultiplied ? picture.data : straightened(picture.data)
  if (ending === 'png') {
    const coded = codedPrimaries[space] ?? codedPrimaries.rec709!
    const data = inSpace(plain, coded === codedPrimaries[space] ? space : 'rec709', working)
    const codes = bits === 16 ? toCodes(data, 65535) : codesOf8(data, width, dither)
    return writePng(width, height, codes, { primaries: coded })
  }
  const data = inSpace(plain, space, working)
  const window = [0, 0, width - 1, height - 1] as const
  const attributes = [
    textAttribute('software', 'Zafiro'),
    textAttribute('comments', name),
    chromaticitiesAttribute(chromaticities[space]),
  ]
  const made = layers.flatMap((layer) =>
    'picture' in layer
      ? layerChannels(layer, bits === 32, kernels, (data) => inSpace(data, space, working))
      : [],
  )
  const handed = layers.flatMap((layer) => ('picture' in layer ? [] : layer.channels))
  const described = layers.flatMap((layer) => ('picture' in layer ? [] : layer.attributes))
  const own = bits === 32 ? floatChannels('', data, 4) : halfChannels('', data, 4, kernels)
  const windows = { dataWindow: window, displayWindow: window }
  const main = { ...windows, compression, attributes, channels: [...own, ...made] }
  // What is packed with losses takes IDs for colour by their names: they go into a part of their own.
  if (compression === 'dwaa' && handed.length > 0) {
    const ids = { ...windows, compression: 'zip' as const, attributes: described, channels: handed }
    return writeExrParts(
      [
        { ...main, name: 'picture' },
        { ...ids, name: 'ids' },
      ],
      zlib,
    )
  }
  return writeExr(
    { ...main, attributes: [...attributes, ...described], channels: [...main.channels, ...handed] },
    zlib,
  )
}

/** How EXR files are made beyond their kind. */
export interface FileChoice {
  readonly layers?: readonly FileLayer[] | undefined
  readonly compression?: WrittenCompression | undefined
  /** What its light is; linear Rec.709 where left out. */
  readonly working?: WorkingName | undefined
  /** What its colours are written as; where left out, EXR as what they are and all else as Rec.709. What a kind of file can not say is written as Rec.709. */
  readonly space?: OutputSpace | undefined
}

/** Primaries that PNG says by a code of ITU-T H.273. */
const codedPrimaries: Readonly<Partial<Record<OutputSpace, number>>> = { rec709: 1, rec2020: 9, 'p3-d65': 12 }

/** Light of a working space as light of another; the same data where it is that. */
export function inSpace(data: Float32Array, space: OutputSpace, working?: WorkingName): Float32Array {
  if (space === (working ?? 'rec709')) return data
  const out = data.slice()
  throughMatrix(out, multiply(inverse(toWorking(space)), workingSpace(working).toRec709))
  return out
}

/** Channels that go into a file as they are, with the header entries that say what they mean. */
export interface HandedChannels {
  readonly channels: readonly ExrChannelData[]
  readonly attributes: readonly ExrAttribute[]
}

export type FileLayer = PictureLayer | HandedChannels

/** A picture that goes into a file beside the main one, of the same size. */
export interface PictureLayer {
  readonly name: string
  readonly picture: Picture
  /** Its numbers are written as floats, whatever the picture is. */
  readonly isData: boolean
}

const channelNames = { 4: ['R', 'G', 'B', 'A'], 1: ['Y'] } as const

function layerChannels(
  { name, picture, isData }: PictureLayer,
  isFloat: boolean,
  kernels: Pick<Kernels, 'floatToHalf'>,
  written: (light: Float32Array) => Float32Array,
): ExrChannelData[] {
  const { channels } = picture
  const data = channels === 4 && !isData ? written(picture.data) : picture.data
  const count = channels === 1 ? 1 : 4
  return isFloat || isData
    ? floatChannels(`${name}.`, data, count)
    : halfChannels(`${name}.`, data, count, kernels)
}

function floatChannels(prefix: string, data: Float32Array, count: 1 | 4): ExrChannelData[] {
  return channelNames[count].map((channel, c) => ({
    name: prefix + channel,
    type: 'float' as const,
    values: everyNth(new Float32Array(data.length / count), data, c, count),
  }))
}

/** Values beyond 65504 are held there. */
function halfChannels(
  prefix: string,
  data: Float32Array,
  count: 1 | 4,
  kernels: Pick<Kernels, 'floatToHalf'>,
): ExrChannelData[] {
  const held = new Float32Array(data.length)
  for (let i = 0; i < held.length; i++) {
    const v = data[i]!
    held[i] = v > 65504 ? 65504 : v < -65504 ? -65504 : v
  }
  const codes = new Uint16Array(held.length)
  kernels.floatToHalf(codes, held)
  return channelNames[count].map((channel, c) => ({
    name: prefix + channel,
    type: 'half' as const,
    values: everyNth(new Uint16Array(data.length / count), codes, c, count),
  }))
}

/** One channel of several. */
function everyNth<T extends Float32Array | Uint16Array>(out: T, data: T, channel: number, of: number): T {
  for (let i = 0; i < out.length; i++) out[i] = data[i * of + channel]!
  return out
}

/** Colour divided by alpha where there is some. */
export function straightened(data: Float32Array): Float32Array {
  const out = data.slice()
  for (let i = 0; i < out.length; i += 4) {
    const alpha = out[i + 3]!
    if (alpha > 0 && alpha < 1) for (let c = 0; c < 3; c++) out[i + c]! /= alpha
  }
  return out
}

/** 8-bit sRGB codes, to the nearest or dithered. */
export function codesOf8(
  data: Float32Array,
  width: number,
  dither: number | undefined,
): Uint8Array | Uint16Array {
  if (dither === undefined) return toCodes(data, 255)
  const codes = new Uint8Array(data.length)
  for (let i = 0, x = 0, y = 0; i < codes.length; i += 4) {
    for (let c = 0; c < 4; c++) {
      const value = 255 * (c === 3 ? data[i + c]! : linearToSrgb(data[i + c]!))
      codes[i + c] = ditheredCode(value, ditherBits(x, y, c, dither))
    }
    if (++x === width) [x, y] = [0, y + 1]
  }
  return codes
}

/** sRGB codes of a picture, clipped to 0 … `most`; alpha as it is. */
export function toCodes(data: Float32Array, most: number): Uint8Array | Uint16Array {
  const out = most > 255 ? new Uint16Array(data.length) : new Uint8Array(data.length)
  const code = (v: number) => Math.round(Math.min(1, Math.max(0, v)) * most)
  for (let i = 0; i < data.length; i++) out[i] = code(i % 4 === 3 ? data[i]! : linearToSrgb(data[i]!))
  return out
}

import type { AlphaUse } from '../comp/media.ts'
import { decodeValue, type Curve } from '../colour/curves.ts'
import { numberToHalf } from '../picture/half.ts'

/** Pixels as a file stores them: interleaved, row by row, named Y, R, G, B, A; integers are codes up to `most`. */
export interface Samples {
  readonly width: number
  readonly height: number
  readonly channels: readonly string[]
  readonly data: Uint8Array | Uint16Array | Float32Array
  /** What stands for 1: 255, 65535; 1 for floats. */
  readonly most: number
}

/**
 * Samples to premultiplied scene-linear RGBA floats. Colour that was encoded after it was multiplied by alpha is divided,
 * decoded and multiplied again; where alpha is 0 it stays light without cover.
 */
export function samplesToLinear(
  { width, height, channels, data, most }: Samples,
  encoding: Curve,
  alphaUse: AlphaUse,
): Float32Array {
  const isFloat = data instanceof Float32Array
  const tableOf = (c: number) =>
    Float32Array.from({ length: most + 1 }, (_, code) => decodeValue(code / most, encoding, c))
  const hasThree = typeof encoding === 'object' && 'each' in encoding
  const first = isFloat ? undefined : tableOf(0)
  const tables = first && [first, hasThree ? tableOf(1) : first, hasThree ? tableOf(2) : first]
  const out = new Float32Array(width * height * 4)
  const stride = channels.length
  const alphaAt = alphaUse === 'ignored' ? -1 : channels.indexOf('A')
  const hasColour = channels[0] !== 'Y'
  const mustDivide = alphaUse === 'premultiplied' && encoding !== 'linear' && alphaAt >= 0
  // Most files: codes with colour, looked up.
  if (tables && hasColour && !mustDivide) {
    const [red, green, blue] = tables as [Float32Array, Float32Array, Float32Array]
    const isStraight = alphaUse === 'straight'
    for (let i = 0, p = 0; i < out.length; i += 4, p += stride) {
      const alpha = alphaAt < 0 ? 1 : data[p + alphaAt]! / most
      const by = isStraight ? alpha : 1
      out[i] = red[data[p]!]! * by
      out[i + 1] = green[data[p + 1]!]! * by
      out[i + 2] = blue[data[p + 2]!]! * by
      out[i + 3] = alpha
    }
    return out
  }
  for (let i = 0, p = 0; i < out.length; i += 4, p += stride) {
    const alpha = alphaAt < 0 ? 1 : data[p + alphaAt]! / most
    const by = alphaUse === 'straight' || (mustDivide && alpha > 0) ? alpha : 1
    for (let c = 0; c < 3; c++) {
      const stored = data[p + (hasColour ? c : 0)]!
      const light = mustDivide
        ? decodeValue(stored / most / (alpha > 0 ? alpha : 1), encoding, c)
        : tables
          ? tables[c]![stored]!
          : decodeValue(stored, encoding, c)
      out[i + c] = light * by
    }
    out[i + 3] = alpha
  }
  return out
}

/**
 * Colour in codes of 8 bits as halves, which have room for them to spare; undefined where the samples are others, or need more than a look
 * into tables. The same values as by `samplesToLinear`, rounded to halves, without its floats.
 */
export function codesToHalves(
  { width, height, channels, data, most }: Samples,
  encoding: Curve,
  alphaUse: AlphaUse,
): Uint16Array | undefined {
  const alphaAt = alphaUse === 'ignored' ? -1 : channels.indexOf('A')
  const isOther = !(data instanceof Uint8Array) || most !== 255 || channels[0] === 'Y'
  if (isOther || typeof encoding !== 'string') return undefined
  if (alphaUse === 'premultiplied' && encoding !== 'linear' && alphaAt >= 0) return undefined
  const light = Float32Array.from({ length: 256 }, (_, code) => decodeValue(code / 255, encoding, 0))
  const isStraight = alphaUse === 'straight'
  // What each code becomes at an alpha, for those that occur.
  const rows: (Uint16Array | undefined)[] = []
  const rowOf = (alpha: number) =>
    (rows[alpha] ??= Uint16Array.from(light, (v) => numberToHalf(isStraight ? v * (alpha / 255) : v)))
  const covers = Uint16Array.from({ length: 256 }, (_, alpha) => numberToHalf(alpha / 255))
  const out = new Uint16Array(width * height * 4)
  const stride = channels.length
  for (let i = 0, p = 0; i < out.length; i += 4, p += stride) {
    const alpha = alphaAt < 0 ? 255 : data[p + alphaAt]!
    const row = rowOf(alpha)
    out[i] = row[data[p]!]!
    out[i + 1] = row[data[p + 1]!]!
    out[i + 2] = row[data[p + 2]!]!
    out[i + 3] = covers[alpha]!
  }
  return out
}

import { linearToSrgb } from '../picture/colour.ts'
import type { Picture } from '../picture/picture.ts'
import { lightToAxis } from '../picture/tone-curve.ts'

export const scopeKinds = ['histogram', 'waveform', 'parade', 'vectorscope'] as const
export type ScopeKind = (typeof scopeKinds)[number]

/** Levels of light from 0 to 4.0, along the axis of light: 1.0 is at four fifths. What lies beyond is in the ends. */
export const scopeLevels = 200
const highest = 1.25
/** Columns that the width of the picture is seen in at most, and sides of the vectorscope. */
export const [scopeColumns, vectorSide] = [256, 192]
/** Half of the vectorscope's width, in units of Cb and Cr. */
export const vectorReach = 0.6

/** Where light lies on a scope, 0 (black) to 1 (4.0 and more). */
export function scopeLevel(light: number): number {
  return Math.min(1, Math.max(0, lightToAxis(light) / highest))
}

/** Counts for one scope; of several planes one after the other. */
export interface Scope {
  readonly kind: ScopeKind
  readonly planes: number
  readonly width: number
  readonly height: number
  /** Row 0 is the highest level. */
  readonly counts: Uint32Array<ArrayBuffer>
  readonly pixels: number
}

// Positive floats by their upper 17 bits, 256 an octave: levels and encoded values are looked up, not computed.
const [shift, lastWord] = [15, 0x40800000]
const entries = (lastWord >> shift) + 1
let tables: { readonly level: Uint8Array; readonly encoded: Float32Array } | undefined

function lookUps() {
  if (tables) return tables
  const bits = new Uint32Array(1)
  const value = new Float32Array(bits.buffer)
  const level = new Uint8Array(entries)
  const encoded = new Float32Array(entries)
  for (let i = 0; i < entries; i++) {
    bits[0] = (i << shift) + (1 << (shift - 1))
    level[i] = Math.round(scopeLevel(value[0]!) * (scopeLevels - 1))
    encoded[i] = linearToSrgb(value[0]!)
  }
  return (tables = { level, encoded })
}

/** A part of the picture in its own pixels: from left and top to before right and bottom. */
export type ScopeRegion = readonly [left: number, top: number, right: number, bottom: number]

/** What counting the pixels of a row needs. */
interface Counting {
  readonly data: Float32Array
  /** The bits of `data`. */
  readonly words: Int32Array
  readonly columns: number
  /** Columns of the scope to a pixel. */
  readonly perPixel: number
  readonly counts: Uint32Array
  readonly tables: ReturnType<typeof lookUps>
}

/** Where a float lies in the tables, by its bits; a sign makes them negative. */
const place = (word: number) => (word < 0 ? 0 : word < lastWord ? word >> shift : entries - 1)
/** Neither cover nor light. */
const isEmpty = (data: Float32Array, i: number) => data[i + 3] === 0 && data[i] === 0 && data[i + 1] === 0 && data[i + 2] === 0 // prettier-ignore

const one = new Float32Array(1)
const oneWord = new Int32Array(one.buffer)
/** The level of a pixel's luminance (BT.709), looked up by its bits as well. */
function lumaLevel(data: Float32Array, i: number, level: Uint8Array): number {
  one[0] = 0.2126 * data[i]! + 0.7152 * data[i + 1]! + 0.0722 * data[i + 2]!
  return level[place(oneWord[0]!)]!
}

/** Counts the pixels of a row, from the value `from` to before `to`, and says how many were not empty. Loops of their own: they are hot. */
const countRow: Readonly<Record<ScopeKind, (job: Counting, from: number, to: number) => number>> = {
  histogram({ data, words, counts, tables: { level } }, from, to) {
    let pixels = 0
    for (let i = from; i < to; i += 4) {
      if (isEmpty(data, i)) continue
      pixels++
      counts[level[place(words[i]!)]!]!++
      counts[scopeLevels + level[place(words[i + 1]!)]!]!++
      counts[2 * scopeLevels + level[place(words[i + 2]!)]!]!++
      counts[3 * scopeLevels + lumaLevel(data, i, level)]!++
    }
    return pixels
  },
  waveform({ data, columns, perPixel, counts, tables: { level } }, from, to) {
    let pixels = 0
    for (let i = from, x = 0; i < to; i += 4, x++) {
      if (isEmpty(data, i)) continue
      pixels++
      counts[(scopeLevels - 1 - lumaLevel(data, i, level)) * columns + Math.floor(x * perPixel)]!++
    }
    return pixels
  },
  parade({ data, words, columns, perPixel, counts, tables: { level } }, from, to) {
    let pixels = 0
    const plane = columns * scopeLevels
    for (let i = from, x = 0; i < to; i += 4, x++) {
      if (isEmpty(data, i)) continue
      pixels++
      const foot = (scopeLevels - 1) * columns + Math.floor(x * perPixel)
      counts[foot - level[place(words[i]!)]! * columns]!++
      counts[foot - level[place(words[i + 1]!)]! * columns + plane]!++
      counts[foot - level[place(words[i + 2]!)]! * columns + 2 * plane]!++
    }
    return pixels
  },
  vectorscope({ data, words, counts, tables: { encoded } }, from, to) {
    let pixels = 0
    const scale = vectorSide / (2 * vectorReach)
    for (let i = from; i < to; i += 4) {
      if (isEmpty(data, i)) continue
      pixels++
      const r = encoded[place(words[i]!)]!
      const g = encoded[place(words[i + 1]!)]!
      const b = encoded[place(words[i + 2]!)]!
      const luma = 0.2126 * r + 0.7152 * g + 0.0722 * b
      const x = Math.floor(((b - luma) / 1.8556 + vectorReach) * scale)
      const y = Math.floor((vectorReach - (r - luma) / 1.5748) * scale)
      if (x >= 0 && y >= 0 && x < vectorSide && y < vectorSide) counts[y * vectorSide + x]!++
    }
    return pixels
  },
}

/**
 * Counts a scope over a part of a picture: how often red, green, blue and luminance (BT.709) have which level (histogram, four
 * planes); luminance by columns (waveform); red, green and blue by columns, side by side (parade); or Cb and Cr of the sRGB-encoded
 * colours (vectorscope; BT.709 weights). Pixels without cover and light are not counted.
 */
export function countScope(
  { width, data }: Picture,
  kind: ScopeKind,
  [left, top, right, bottom]: ScopeRegion,
): Scope {
  const words = new Int32Array(data.buffer, data.byteOffset, data.length)
  const span = Math.max(1, right - left)
  const columns = Math.min(scopeColumns, span)
  const [planes, w, h] = {
    histogram: [4, scopeLevels, 1] as const,
    waveform: [1, columns, scopeLevels] as const,
    parade: [3, columns, scopeLevels] as const,
    vectorscope: [1, vectorSide, vectorSide] as const,
  }[kind]
  const counts = new Uint32Array(planes * w * h)
  const job = { data, words, columns, perPixel: columns / span, counts, tables: lookUps() }
  let pixels = 0
  for (let y = top; y < bottom; y++)
    pixels += countRow[kind](job, (y * width + left) * 4, (y * width + right) * 4)
  return { kind, planes, width: w, height: h, counts, pixels }
}

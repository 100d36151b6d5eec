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

// Positive floats by their upper 18 bits: levels and encoded values are looked up, not computed.
const [shift, entries] = [14, (0x40800000 >>> 14) + 1]
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
  const { level, encoded } = lookUps()
  const words = new Uint32Array(data.buffer, data.byteOffset, data.length)
  const most = entries - 1
  // Below 0 the sign bit makes the word larger than any that is looked up.
  const place = (word: number) => (word > 0x7fffffff ? 0 : word >>> shift > most ? most : word >>> shift)
  const span = Math.max(1, right - left)
  const columns = Math.min(scopeColumns, span)
  const [planes, w, h] = {
    histogram: [4, scopeLevels, 1] as const,
    waveform: [1, columns, scopeLevels] as const,
    parade: [3, columns, scopeLevels] as const,
    vectorscope: [1, vectorSide, vectorSide] as const,
  }[kind]
  const counts = new Uint32Array(planes * w * h)
  const plane = w * h
  const scale = vectorSide / (2 * vectorReach)
  // Luminance is a float that is looked up by its bits as well.
  const one = new Float32Array(1)
  const oneWord = new Uint32Array(one.buffer)
  let pixels = 0
  for (let y = top; y < bottom; y++)
    for (let x = left; x < right; x++) {
      const i = (y * width + x) * 4
      if (data[i + 3] === 0 && data[i] === 0 && data[i + 1] === 0 && data[i + 2] === 0) continue
      pixels++
      const [r, g, b] = [place(words[i]!), place(words[i + 1]!), place(words[i + 2]!)]
      if (kind === 'vectorscope') {
        const [er, eg, eb] = [encoded[r]!, encoded[g]!, encoded[b]!]
        const luma = 0.2126 * er + 0.7152 * eg + 0.0722 * eb
        const cx = Math.floor(((eb - luma) / 1.8556 + vectorReach) * scale)
        const cy = Math.floor((vectorReach - (er - luma) / 1.5748) * scale)
        if (cx >= 0 && cy >= 0 && cx < vectorSide && cy < vectorSide) counts[cy * vectorSide + cx]!++
        continue
      }
      if (kind === 'parade') {
        const column = Math.floor(((x - left) * columns) / span)
        counts[(scopeLevels - 1 - level[r]!) * w + column]!++
        counts[plane + (scopeLevels - 1 - level[g]!) * w + column]!++
        counts[2 * plane + (scopeLevels - 1 - level[b]!) * w + column]!++
        continue
      }
      one[0] = 0.2126 * data[i]! + 0.7152 * data[i + 1]! + 0.0722 * data[i + 2]!
      const luma = level[place(oneWord[0]!)]!
      if (kind === 'waveform') {
        counts[(scopeLevels - 1 - luma) * w + Math.floor(((x - left) * columns) / span)]!++
        continue
      }
      counts[level[r]!]!++
      counts[plane + level[g]!]!++
      counts[2 * plane + level[b]!]!++
      counts[3 * plane + luma]!++
    }
  return { kind, planes, width: w, height: h, counts, pixels }
}

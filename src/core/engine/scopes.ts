import { linearToSrgb } from '../picture/colour.ts'
import type { Kernels, ScopeKind, ScopeRegion } from '../kernels/kernels.ts'
import type { Picture } from '../picture/picture.ts'
import { lightToAxis } from '../picture/tone-curve.ts'

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
let tables: { readonly level: Int32Array; readonly encoded: Float32Array } | undefined

function lookUps() {
  if (tables) return tables
  const bits = new Uint32Array(1)
  const value = new Float32Array(bits.buffer)
  const level = new Int32Array(entries)
  const encoded = new Float32Array(entries)
  for (let i = 0; i < entries; i++) {
    bits[0] = (i << shift) + (1 << (shift - 1))
    level[i] = Math.round(scopeLevel(value[0]!) * (scopeLevels - 1))
    encoded[i] = linearToSrgb(value[0]!)
  }
  return (tables = { level, encoded })
}

/** Counts a scope over a part of a picture; for what it counts see the kernel. */
export function countScope(picture: Picture, kind: ScopeKind, region: ScopeRegion, kernels: Kernels): Scope {
  const columns = Math.min(scopeColumns, Math.max(1, region[2] - region[0]))
  const [planes, width, height] = {
    histogram: [4, scopeLevels, 1] as const,
    waveform: [1, columns, scopeLevels] as const,
    parade: [3, columns, scopeLevels] as const,
    vectorscope: [1, vectorSide, vectorSide] as const,
  }[kind]
  const counts = new Uint32Array(planes * width * height)
  const sizes = { columns, levels: scopeLevels, side: vectorSide, reach: vectorReach }
  const pixels = kernels.countScope(counts, picture, { kind, region, ...sizes, shift, ...lookUps() })
  return { kind, planes, width, height, counts, pixels }
}

import { srgbToLinear } from '../picture/colour.ts'

/** How light is encoded in numbers, by name. */
export const encodings = ['linear', 'srgb', 'power-2.2', 'power-2.4', 'pq', 'hlg', 'acescct'] as const
export type Encoding = (typeof encodings)[number]

/** A curve of a file's own: a power, or light at equal steps of the code from 0 to 1. */
export type OneCurve = Encoding | { readonly power: number } | { readonly table: Float32Array }
/** One for all, or one each for red, green and blue. */
export type Curve = OneCurve | { readonly each: readonly [OneCurve, OneCurve, OneCurve] }

/** Luminance that a code of PQ stands for, in parts of 100 cd/m². Source: SMPTE ST 2084, ITU-R BT.2100. */
function pqToLinear(code: number): number {
  const [m1, m2, c1, c2, c3] = [
    2610 / 16384,
    (2523 / 4096) * 128,
    3424 / 4096,
    (2413 / 4096) * 32,
    (2392 / 4096) * 32,
  ]
  const root = code ** (1 / m2)
  return 100 * (Math.max(0, root - c1) / (c2 - c3 * root)) ** (1 / m1)
}

/** Scene light of a code of HLG: 1 at half of the codes, 12 at their end. Source: ARIB STD-B67; ITU-R BT.2100 has a twelfth of it. */
function hlgToLinear(code: number): number {
  const [a, b, c] = [0.17883277, 0.28466892, 0.55991073]
  return code <= 0.5 ? 4 * code * code : Math.exp((code - c) / a) + b
}

/** Source: Academy S-2016-001 (ACEScct). */
function acescctToLinear(code: number): number {
  if (code <= 0.155251141552511) return (code - 0.0729055341958355) / 10.5402377416545
  return Math.min(65504, 2 ** (code * 17.52 - 9.72))
}

function throughTable(table: Float32Array, code: number): number {
  const at = Math.min(1, Math.max(0, code)) * (table.length - 1)
  const below = Math.min(table.length - 2, Math.floor(at))
  return table[below]! + (at - below) * (table[below + 1]! - table[below]!)
}

/** Encoded value of a channel (0 red, 1 green, 2 blue), 1 = the highest code, to light. Curves that begin at 0 are mirrored about it; PQ and HLG above 1 go on as they do below. */
export function decodeValue(value: number, of: Curve, channel = 0): number {
  const curve = typeof of === 'object' && 'each' in of ? of.each[channel]! : of
  if (curve === 'linear') return value
  // It has codes for light below 0.
  if (curve === 'acescct') return acescctToLinear(value)
  const a = Math.abs(value)
  const light = (): number => {
    if (typeof curve === 'object') return 'power' in curve ? a ** curve.power : throughTable(curve.table, a)
    switch (curve) {
      case 'srgb':
        return srgbToLinear(a)
      case 'power-2.2':
        return a ** 2.2
      case 'power-2.4':
        return a ** 2.4
      case 'pq':
        return pqToLinear(a)
      case 'hlg':
        return hlgToLinear(a)
    }
  }
  return value < 0 ? -light() : light()
}

import type { Picture } from '../../picture/picture.ts'
import { rec709 } from '../../colour/working.ts'
import type { KernelCalls } from '../kernel-calls.ts'

export const scopeKinds = ['histogram', 'waveform', 'parade', 'vectorscope'] as const

export type ScopeKind = (typeof scopeKinds)[number]

/** A part of a picture in its own pixels: from left and top to before right and bottom. */
export type ScopeRegion = readonly [left: number, top: number, right: number, bottom: number]

/** How a scope is counted. */
export interface ScopeCount {
  readonly kind: ScopeKind
  readonly region: ScopeRegion
  /** Columns of a waveform or a parade, and levels. */
  readonly columns: number
  readonly levels: number
  /** Sides of a vectorscope, and half of its width in units of Cb and Cr. */
  readonly side: number
  readonly reach: number
  /** Levels and encoded values of positive floats, looked up by their bits without the lower `shift`; the last is for all beyond. */
  readonly shift: number
  readonly level: Int32Array
  readonly encoded: Float32Array
}

export interface ScopeKernels {
  /**
   * Counts how often red, green, blue and luminance have which level (histogram, four planes); luminance by columns, row 0 the highest level
   * (waveform); red, green and blue by columns (parade, three planes); or Cb and Cr of encoded colours (vectorscope; BT.709 weights). Pixels without
   * cover and light are not counted; gives back how many were.
   */
  countScope(counts: Uint32Array, src: Picture, count: ScopeCount): number
}

/** The plain twins. */
export const plainScope: ScopeKernels = {
  countScope(counts, { data, width }, { kind, region, columns, levels, side, reach, shift, level, encoded }) {
    const [left, top, right, bottom] = region
    const value = new Float32Array(1)
    const bits = new Int32Array(value.buffer)
    const placeOf = (v: number) => {
      value[0] = v
      return bits[0]! < 0 ? 0 : Math.min(bits[0]! >> shift, level.length - 1)
    }
    const levelOf = (v: number) => level[placeOf(v)]!
    let pixels = 0
    for (let y = top; y < bottom; y++)
      for (let x = left; x < right; x++) {
        const at = (y * width + x) * 4
        const [r, g, b] = [data[at]!, data[at + 1]!, data[at + 2]!]
        if (data.subarray(at, at + 4).every((v) => v === 0)) continue
        pixels++
        const y709 = rec709.luminance(r, g, b)
        const foot = (levels - 1) * columns + Math.floor(((x - left) * columns) / (right - left))
        if (kind === 'histogram')
          [r, g, b, y709].forEach((v, plane) => counts[plane * levels + levelOf(v)]!++)
        else if (kind === 'waveform') counts[foot - levelOf(y709) * columns]!++
        else if (kind === 'parade')
          [r, g, b].forEach((v, plane) => counts[plane * columns * levels + foot - levelOf(v) * columns]!++)
        else {
          const [er, eg, eb] = [r, g, b].map((v) => encoded[placeOf(v)]!) as [number, number, number]
          const luma = rec709.luminance(er, eg, eb)
          const scale = side / (2 * reach)
          const cx = Math.floor(((eb - luma) / 1.8556 + reach) * scale)
          const cy = Math.floor((reach - (er - luma) / 1.5748) * scale)
          if (cx >= 0 && cy >= 0 && cx < side && cy < side) counts[cy * side + cx]!++
        }
      }
    return pixels
  },
}

export const fastScope = ({ withBytes, store, pool }: KernelCalls): ScopeKernels => ({
  countScope: (counts, src, { kind, region, columns, levels, side, reach, shift, level, encoded }) => {
    let pixels = 0
    const last = level.length - 1
    withBytes(counts.byteLength + 2 * level.byteLength, (at) => {
      const [levelAt, encodedAt] = [at + counts.byteLength, at + counts.byteLength + level.byteLength]
      const { buffer } = store.memory
      const own = new Uint32Array(buffer, at, counts.length).fill(0)
      new Int32Array(buffer, levelAt, level.length).set(level)
      new Float32Array(buffer, encodedAt, encoded.length).set(encoded)
      const sizes = [src.width, ...region, columns, levels, side, reach] as const
      const which = scopeKinds.indexOf(kind)
      pixels = pool.exports.countScope(at, src.at, levelAt, encodedAt, which, shift, last, ...sizes)
      counts.set(own)
    })
    return pixels
  },
})

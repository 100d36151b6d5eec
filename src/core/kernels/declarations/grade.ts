import type { WorkingSpace } from '../../colour/working.ts'
import type { Picture } from '../../picture/picture.ts'
import { leastCover, linearToSrgb, srgbToLinear } from '../../picture/colour.ts'
import type { KernelCalls } from '../kernel-calls.ts'

/** A colour decision list. */
export interface Decisions {
  readonly slope: readonly [number, number, number]
  readonly offset: readonly [number, number, number]
  readonly power: readonly [number, number, number]
  readonly saturation: number
  readonly isHeld: boolean
}

/** A table of colours to be looked up: a picture of `size` pixels for lines, size² × size for a cube whose red runs fastest. */
export interface LookUp {
  readonly table: Picture
  readonly size: number
  readonly isCube: boolean
  /** What its first and last entries stand for. */
  readonly from: readonly [number, number, number]
  readonly to: readonly [number, number, number]
  /** Factor on light before it. */
  readonly gain: number
  /** It takes, and gives, sRGB-encoded values instead of light. */
  readonly takesEncoded: boolean
  readonly givesEncoded: boolean
}

/** Tone tables: an entry for 0, then 128 an octave from 2^-12 to 2^8; four values each. Between entries they run straight. */
export const toneEntries = 2562

/** The light that an entry of a tone table stands for. */
export function toneEntry(i: number): number {
  if (i === 0) return 0
  const octave = Math.floor((i - 1) / 128)
  return 2 ** (octave - 12) * (1 + ((i - 1) % 128) / 128)
}

/** Straight colour through a function, with the alpha that it had; light without cover is taken as it is. */
function eachStraight(
  out: Picture,
  src: Picture,
  of: (colour: readonly [number, number, number], isLight: boolean) => readonly number[],
): void {
  for (let i = 0; i < src.data.length; i += 4) {
    const alpha = src.data[i + 3]!
    const cover = alpha > leastCover ? alpha : 1
    const at = (c: number) => src.data[i + c]! / cover
    const made = of([at(0), at(1), at(2)], !(alpha > leastCover))
    for (let c = 0; c < 3; c++) out.data[i + c] = Math.min(1e30, Math.max(-1e30, made[c]!)) * cover
    out.data[i + 3] = alpha
  }
}

export interface GradeKernels {
  /**
   * Straight colour through a table of tones, alpha kept. 'tones': each channel by its own values, then luminance by the fourth, colour with
   * it; 'colours': the colour that its luminance stands for.
   */
  toneTable(out: Picture, src: Picture, table: Float32Array, by: 'tones' | 'colours'): void
  /**
   * Straight colour through (in · slope + offset) ^ power, then saturation about luminance; alpha kept. Held in 0–1
   * after each of both on wish; else what is below 0 is left as it is by the power. Light without cover takes no offset. Source: ASC CDL 1.2.
   */
  decisionList(out: Picture, src: Picture, decisions: Decisions): void
  /** Straight colour held between two values; alpha in 0–1 on wish. */
  hold(out: Picture, src: Picture, low: number, high: number, withAlpha: boolean): void
  /** Straight colour looked up in lines (each channel by its own) or in a cube, tetrahedral between its entries; alpha kept. */
  lookUp(out: Picture, src: Picture, options: LookUp): void
  /** Luminance L times `gain` becomes L (1 + L / white²) / (1 + L), colour with it. Source: Reinhard et al. 2002, equation 4. */
  shoulder(out: Picture, src: Picture, gain: number, white: number): void
}

/** The plain twins. */
export const plainGrade = ({ luminance }: WorkingSpace): GradeKernels => ({
  toneTable(out, src, table, by) {
    // Between the two entries about a value, found by looking.
    const tone = (v: number, lane: number) => {
      const value = (i: number) => table[i * 4 + lane]!
      if (v >= 256) return value(toneEntries - 1) * (v / 256)
      let low = 0
      for (let high = toneEntries - 1; high - low > 1;) {
        const middle = (low + high) >> 1
        if (toneEntry(middle) <= v) low = middle
        else high = middle
      }
      const [a, b] = [toneEntry(low), toneEntry(low + 1)]
      return value(low) + ((value(low + 1) - value(low)) * (v - a)) / (b - a)
    }
    eachStraight(out, src, ([r, g, b], isLight) => {
      if (by === 'colours') {
        const y = luminance(r, g, b)
        return isLight && !(y > 0) ? [0, 0, 0] : [0, 1, 2].map((c) => tone(y, c))
      }
      const own = [tone(r, 0), tone(g, 1), tone(b, 2)]
      const y = luminance(own[0]!, own[1]!, own[2]!)
      const wanted = tone(y, 3)
      return own.map((v) => (y > 1e-6 ? (v * wanted) / y : v + wanted - y))
    })
  },
  decisionList(out, src, { slope, offset, power, saturation, isHeld }) {
    const limit = (v: number) => (isHeld ? Math.min(1, Math.max(0, v)) : v)
    eachStraight(out, src, (colour, isLight) => {
      const made = colour.map((v, c) => {
        const line = limit(v * slope[c]! + (isLight ? 0 : offset[c]!))
        return line > 0 ? line ** power[c]! : line
      })
      const y = luminance(made[0]!, made[1]!, made[2]!)
      return made.map((v) => limit(y + saturation * (v - y)))
    })
  },
  hold(out, src, low, high, withAlpha) {
    for (let i = 0; i < src.data.length; i += 4) {
      const alpha = src.data[i + 3]!
      const cover = withAlpha ? Math.min(1, Math.max(0, alpha)) : alpha
      for (let c = 0; c < 3; c++) {
        const v = src.data[i + c]!
        out.data[i + c] =
          alpha > leastCover
            ? Math.min(high, Math.max(low, v / alpha)) * cover
            : Math.min(high, Math.max(Math.min(low, 0), v))
      }
      out.data[i + 3] = cover
    }
  },
  lookUp(out, src, { table, size, isCube, from, to, gain, takesEncoded, givesEncoded }) {
    const entry = (r: number, g: number, b: number, c: number) =>
      table.data[((b * size + g) * size + r) * 4 + c]!
    eachStraight(out, src, (colour) => {
      const place = colour.map((v, c) => {
        const value = takesEncoded ? linearToSrgb(v * gain) : v * gain
        return Math.min(size - 1, Math.max(0, ((value - from[c]!) * (size - 1)) / (to[c]! - from[c]!)))
      })
      const corner = place.map((v) => Math.min(size - 2, Math.floor(v)))
      const part = place.map((v, c) => v - corner[c]!)
      const made = [0, 1, 2].map((c) => {
        if (!isCube) {
          const [a, b] = [entry(corner[c]!, 0, 0, c), entry(corner[c]! + 1, 0, 0, c)]
          return a + (b - a) * part[c]!
        }
        // From the near corner to the far one, along the axes by falling part: four corners of a tetrahedron.
        const order = [0, 1, 2].sort((i, j) => part[j]! - part[i]!)
        const at = [...corner]
        let sum = entry(at[0]!, at[1]!, at[2]!, c) * (1 - part[order[0]!]!)
        for (const [k, axis] of order.entries()) {
          at[axis]!++
          sum += entry(at[0]!, at[1]!, at[2]!, c) * (part[axis]! - (part[order[k + 1] ?? -1] ?? 0))
        }
        return sum
      })
      return givesEncoded ? made.map(srgbToLinear) : made
    })
  },
  shoulder(out, src, gain, white) {
    for (let i = 0; i < src.data.length; i += 4) {
      const y = Math.max(0, gain * luminance(src.data[i]!, src.data[i + 1]!, src.data[i + 2]!))
      const factor = (gain * (1 + y / white ** 2)) / (1 + y)
      for (let c = 0; c < 4; c++) out.data[i + c] = src.data[i + c]! * (c < 3 ? factor : 1)
    }
  },
})

export const fastGrade = ({ run, withFloats, weighAt }: KernelCalls): GradeKernels => ({
  toneTable: (out, src, tones, by) => {
    withFloats(tones, (at) => {
      run('toneTable', out, out.at, src.at, at, Number(by === 'colours'), weighAt, out.width)
    })
  },
  decisionList: (out, src, { slope, offset, power, saturation, isHeld }) => {
    const numbers = [...slope, 1, ...offset, 0, ...power, 1, saturation, Number(isHeld)]
    withFloats(numbers, (at) => {
      run('decisionList', out, out.at, src.at, at, weighAt, out.width)
    })
  },
  hold: (out, src, low, high, withAlpha) => {
    run('hold', out, out.at, src.at, low, high, Number(withAlpha), out.width)
  },
  lookUp: (out, src, { table: entries, size, isCube, from, to, gain, takesEncoded, givesEncoded }) => {
    const scales = from.map((low, c) => (size - 1) / (to[c]! - low))
    withFloats([...from, 0, ...scales, 0, gain, 0, 0, 0], (at) => {
      const encoded = Number(takesEncoded) + 2 * Number(givesEncoded)
      run('lookUp', out, out.at, src.at, entries.at, size, Number(isCube), encoded, at, out.width)
    })
  },
  shoulder: (out, src, gain, white) => {
    run('shoulder', out, out.at, src.at, gain, white, weighAt, out.width)
  },
})

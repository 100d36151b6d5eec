import { luminance } from '../picture/colour.ts'
import type { Picture } from '../picture/picture.ts'

/** Luminance in stops about 1.0: `bins` counts of equal width from `lowStops` up; the ends hold what lies beyond. */
export interface LuminanceHistogram {
  readonly lowStops: number
  readonly stopsPerBin: number
  readonly counts: readonly number[]
  /** Pixels without light, which no stop describes. */
  readonly black: number
  readonly total: number
}

const [low, high, perStop] = [-10, 7, 12]

export function luminanceHistogram({ data, channels }: Picture): LuminanceHistogram {
  const counts = new Array<number>((high - low) * perStop).fill(0)
  let black = 0
  for (let i = 0; i < data.length; i += channels) {
    const y = channels === 1 ? data[i]! : luminance(data[i]!, data[i + 1]!, data[i + 2]!)
    if (!(y > 0)) {
      black++
      continue
    }
    const bin = Math.floor((Math.log2(y) - low) * perStop)
    counts[Math.min(counts.length - 1, Math.max(0, bin))]!++
  }
  return { lowStops: low, stopsPerBin: 1 / perStop, counts, black, total: data.length / channels }
}

/** Share of the pixels (0–1) whose luminance is above a threshold; inside a bin, counts are taken as even. */
export function shareAbove(
  { lowStops, stopsPerBin, counts, total, black }: LuminanceHistogram,
  threshold: number,
): number {
  if (threshold <= 0) return total > 0 ? (total - black) / total : 0
  const at = (Math.log2(threshold) - lowStops) / stopsPerBin
  const sum = counts.reduce((above, count, bin) => above + count * Math.min(1, Math.max(0, bin + 1 - at)), 0)
  return total > 0 ? sum / total : 0
}

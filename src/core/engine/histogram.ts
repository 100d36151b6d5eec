import { isMiss } from '../picture/depth-miss.ts'
import type { WorkingSpace } from '../colour/working.ts'
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

/** `byMost`: the brightest channel counts instead of luminance. */
export function luminanceHistogram(
  { data, channels }: Picture,
  { luminance }: WorkingSpace,
  byMost = false,
): LuminanceHistogram {
  const counts = new Array<number>((high - low) * perStop).fill(0)
  let black = 0
  for (let i = 0; i < data.length; i += channels) {
    const [r, g, b] = [data[i]!, data[i + 1]!, data[i + 2]!]
    const y = channels === 1 ? r : byMost ? Math.max(r, g, b) : luminance(r, g, b)
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

/** How often values lie where: equal bins from `low` to `high`; what lies beyond is in the ends. */
export interface ValueHistogram {
  readonly low: number
  readonly high: number
  readonly counts: readonly number[]
  /** Pixels of the first kind that stand for nothing: infinitely far. */
  readonly empty: number
  readonly total: number
}

const valueBins = 96

/** Histogram of a picture's first channel between its 0.5th and 99.5th percentile; what was not hit is empty. */
export function valueHistogram({ data, channels }: Picture): ValueHistogram {
  const values = new Float32Array(data.length / channels)
  let count = 0
  for (let i = 0; i < data.length; i += channels) {
    const value = data[i]!
    if (!isMiss(value) && !isMiss(-value)) values[count++] = value
  }
  const there = values.subarray(0, count)
  const sorted = there.filter((_, i) => i % Math.max(1, Math.floor(count / 20_000)) === 0).sort()
  const at = (part: number) => sorted[Math.round(part * (sorted.length - 1))] ?? 0
  const [low, high] = [at(0.005), at(0.995)]
  const counts = new Array<number>(valueBins).fill(0)
  const scale = high > low ? valueBins / (high - low) : 0
  for (const value of there)
    counts[Math.min(valueBins - 1, Math.max(0, Math.floor((value - low) * scale)))]!++
  return { low, high, counts, empty: values.length - count, total: values.length }
}

import type { Rgb } from './picture.ts'

export type CurvePoint = readonly [x: number, y: number]
/** Where along a gradient, and the linear colour there. */
export type GradientStop = readonly [at: number, r: number, g: number, b: number]

/** The slope that a curve ends with, held to what keeps the light beyond it in proportion. */
const beyondEnd = (slope: number) => Math.min(1, Math.max(-1, slope))

/**
 * A smooth curve through points that overshoots nowhere: between two points it rises only where they do. Beyond the ends it goes on
 * straight, as steep as it ends but never steeper than the curve that changes nothing: what is brighter than the last point keeps its ratio at most. It is level where `isHeld`. Points may come in any order; of several at one x the last counts.
 * Source: Fritsch & Carlson 1980, monotone piecewise cubic interpolation.
 */
export function curveThrough(points: readonly CurvePoint[], isHeld = false): (x: number) => number {
  const sorted = [...new Map(points).entries()].sort(([a], [b]) => a - b)
  const n = sorted.length
  if (n === 0) return (x) => x
  if (n === 1) return isHeld ? () => sorted[0]![1] : (x) => sorted[0]![1] + (x - sorted[0]![0])
  const slopes = sorted.slice(1).map(([x, y], i) => (y - sorted[i]![1]) / (x - sorted[i]![0]))
  const tangents = sorted.map((_, i) => {
    if (i === 0) return slopes[0]!
    if (i === n - 1) return slopes[n - 2]!
    const [a, b] = [slopes[i - 1]!, slopes[i]!]
    return a * b <= 0 ? 0 : (a + b) / 2
  })
  for (const [i, slope] of slopes.entries()) {
    if (slope === 0) {
      tangents[i] = tangents[i + 1] = 0
      continue
    }
    const [a, b] = [tangents[i]! / slope, tangents[i + 1]! / slope]
    const length = Math.hypot(a, b)
    if (length <= 3) continue
    tangents[i] = (3 / length) * a * slope
    tangents[i + 1] = (3 / length) * b * slope
  }
  return (x) => {
    const [first, last] = [sorted[0]!, sorted[n - 1]!]
    if (x <= first[0]) return isHeld ? first[1] : first[1] + (x - first[0]) * beyondEnd(tangents[0]!)
    if (x >= last[0]) return isHeld ? last[1] : last[1] + (x - last[0]) * beyondEnd(tangents[n - 1]!)
    let i = 0
    while (x > sorted[i + 1]![0]) i++
    const [[x0, y0], [x1, y1]] = [sorted[i]!, sorted[i + 1]!]
    const h = x1 - x0
    const t = (x - x0) / h
    const [t2, t3] = [t * t, t * t * t]
    return (
      y0 * (2 * t3 - 3 * t2 + 1) +
      h * tangents[i]! * (t3 - 2 * t2 + t) +
      y1 * (3 * t2 - 2 * t3) +
      h * tangents[i + 1]! * (t3 - t2)
    )
  }
}

/** Light along an axis like that of stops, on which 0 is 0, 1 is 1 and 16 is 1.5; below 0 it is mirrored. */
export function lightToAxis(v: number): number {
  return (Math.sign(v) * Math.log2(1 + 255 * Math.abs(v))) / 8
}

/** The inverse of lightToAxis. */
export function axisToLight(u: number): number {
  return (Math.sign(u) * (2 ** (8 * Math.abs(u)) - 1)) / 255
}

/** Colour along a gradient, straight between its stops and held beyond them; black without any. */
export function gradientThrough(stops: readonly GradientStop[]): (at: number) => Rgb {
  const sorted = stops.toSorted((a, b) => a[0] - b[0])
  return (at) => {
    const next = sorted.findIndex((s) => s[0] >= at)
    const b = sorted[next < 0 ? sorted.length - 1 : next]
    const a = sorted[next < 0 ? sorted.length - 1 : Math.max(0, next - 1)]
    if (!a || !b) return [0, 0, 0]
    const part = b[0] > a[0] ? Math.min(1, Math.max(0, (at - a[0]) / (b[0] - a[0]))) : 1
    const mix = (c: 1 | 2 | 3) => a[c] + (b[c] - a[c]) * part
    return [mix(1), mix(2), mix(3)]
  }
}

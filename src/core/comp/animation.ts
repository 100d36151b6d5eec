import type { DialValue } from '../dials/dials.ts'
import { isAnimated, type Animated, type DialSetting, type Ease } from './schema.ts'

const curves = { linear: [0, 0, 1, 1], smooth: [0.42, 0, 0.58, 1] } as const

/**
 * Progress 0–1 along a cubic Bézier from (0, 0) to (1, 1) with handles (x1, y1), (x2, y2), at time 0–1.
 * x is monotone for x1, x2 in 0–1, so the time is found by bisection to 1e-9. Source: W3C CSS Easing Level 1.
 */
export function easeBetween(time: number, ease: Exclude<Ease, 'hold'>): number {
  if (ease === 'linear') return time
  const [x1, y1, x2, y2] = typeof ease === 'string' ? curves[ease] : ease
  const at = (s: number, a: number, b: number) => 3 * (1 - s) ** 2 * s * a + 3 * (1 - s) * s * s * b + s ** 3
  let [low, high] = [0, 1]
  while (high - low > 1e-9) {
    const middle = (low + high) / 2
    if (at(middle, x1, x2) < time) low = middle
    else high = middle
  }
  return at((low + high) / 2, y1, y2)
}

const isNumbers = (value: DialValue): value is readonly number[] =>
  Array.isArray(value) && value.every((v) => typeof v === 'number')

function between(from: DialValue, to: DialValue, t: number): DialValue {
  if (typeof from === 'number' && typeof to === 'number') return from + (to - from) * t
  if (isNumbers(from) && isNumbers(to)) return from.map((v, i) => v + (to[i]! - v) * t)
  return from
}

function animatedValue({ keys }: Animated, frame: number): DialValue {
  const next = keys.findIndex((k) => k.frame > frame)
  if (next === 0) return keys[0]!.value
  const [before, after] = [keys.at(next < 0 ? -1 : next - 1)!, keys[next]]
  const ease = before.ease ?? 'linear'
  if (!after || ease === 'hold') return before.value
  return between(
    before.value,
    after.value,
    easeBetween((frame - before.frame) / (after.frame - before.frame), ease),
  )
}

/** The value of a dial at a frame: the constant, or between its keys; held before the first and after the last. */
export function settingAt(setting: DialSetting, frame: number): DialValue {
  return isAnimated(setting) ? animatedValue(setting, frame) : setting
}

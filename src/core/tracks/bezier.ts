import type { Ease } from '../comp/parts.ts'

const at = (s: number, p0: number, p1: number, p2: number, p3: number) => {
  const r = 1 - s
  return r * r * r * p0 + 3 * r * r * s * p1 + 3 * r * s * s * p2 + s * s * s * p3
}

/**
 * The parameter 0–1 at which a cubic from 0 over x1 and x2 to 1 has a value of 0–1. It rises throughout for x1, x2 in 0–1. By Newton's
 * steps within a bracket that is halved where they would leave it, to 1e-12.
 */
export function parameterAt(x: number, x1: number, x2: number): number {
  if (x <= 0) return 0
  if (x >= 1) return 1
  const [c, b] = [3 * x1, 3 * (x2 - x1) - 3 * x1]
  const a = 1 - c - b
  let [low, high, s] = [0, 1, x]
  for (let i = 0; i < 60; i++) {
    const miss = ((a * s + b) * s + c) * s - x
    if (miss > -1e-13 && miss < 1e-13) break
    if (miss > 0) high = s
    else low = s
    const slope = (3 * a * s + 2 * b) * s + c
    const next = s - miss / slope
    s = next > low && next < high ? next : (low + high) / 2
    if (high - low < 1e-14) break
  }
  return s
}

/** The value of a cubic at a parameter. */
export const cubicAt = at

const curves = { smooth: [0.42, 0, 0.58, 1] } as const

/**
 * Progress 0–1 along a cubic Bézier from (0, 0) to (1, 1) with handles (x1, y1), (x2, y2), at time 0–1. Source: W3C CSS Easing Level 1.
 */
export function easeBetween(time: number, ease: Exclude<Ease, 'hold'>): number {
  if (ease === 'linear') return time
  const [x1, y1, x2, y2] = typeof ease === 'string' ? curves[ease] : ease
  return at(parameterAt(time, x1, x2), 0, y1, y2, 1)
}

import { apply } from '../colour/spaces.ts'
import type { WorkingSpace } from '../colour/working.ts'

/** Cube root by arithmetic alone, so that every machine computes the same; within 1e-12 of it. 0 for 0 and below. */
export function cubeRoot(v: number): number {
  if (!(v > 0)) return 0
  // Near enough to begin with, by a third of the exponent; then Newton's steps.
  let [scaled, factor] = [v, 1]
  while (scaled > 8) [scaled, factor] = [scaled / 8, factor * 2]
  while (scaled < 1) [scaled, factor] = [scaled * 8, factor / 2]
  let root = 1.5
  for (let i = 0; i < 6; i++) root -= (root - scaled / (root * root)) / 3
  return root * factor
}

/** Linear light to OKLab: equal distances look about equally large. Source: B. Ottosson 2020, “A perceptual color space for image processing”. */
export function linearToOklab(
  { toCones }: WorkingSpace,
  r: number,
  g: number,
  b: number,
  root = cubeRoot,
): [number, number, number] {
  const [l, m, s] = apply(toCones, [r, g, b]).map(root) as [number, number, number]
  return [
    0.2104542553 * l + 0.793617785 * m - 0.0040720468 * s,
    1.9779984951 * l - 2.428592205 * m + 0.4505937099 * s,
    0.0259040371 * l + 0.7827717662 * m - 0.808675766 * s,
  ]
}

const signedRoot = (v: number) => (v < 0 ? -cubeRoot(-v) : cubeRoot(v))

/** OKLab to linear light, the way back (same source). */
export function oklabToLinear(
  { fromCones }: WorkingSpace,
  lightness: number,
  a: number,
  b: number,
): [number, number, number] {
  const l = (lightness + 0.3963377774 * a + 0.2158037573 * b) ** 3
  const m = (lightness - 0.1055613458 * a - 0.0638541728 * b) ** 3
  const s = (lightness - 0.0894841775 * a - 1.291485548 * b) ** 3
  return apply(fromCones, [l, m, s])
}

/** From one linear colour to another over equal steps to the eye: straight in OKLab. Colours outside of 0–1 and negative ones, too. */
export function mixOklab(
  space: WorkingSpace,
  from: readonly [number, number, number],
  to: readonly [number, number, number],
  t: number,
): [number, number, number] {
  const [a, b] = [linearToOklab(space, ...from, signedRoot), linearToOklab(space, ...to, signedRoot)]
  const at = (i: 0 | 1 | 2) => a[i] + (b[i] - a[i]) * t
  return oklabToLinear(space, at(0), at(1), at(2))
}

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

/** Linear Rec.709 to OKLab: equal distances look about equally large. Source: B. Ottosson 2020, “A perceptual color space for image processing”. */
export function linearToOklab(r: number, g: number, b: number): [number, number, number] {
  const l = cubeRoot(0.4122214708 * r + 0.5363325363 * g + 0.0514459929 * b)
  const m = cubeRoot(0.2119034982 * r + 0.6806995451 * g + 0.1073969566 * b)
  const s = cubeRoot(0.0883024619 * r + 0.2817188376 * g + 0.6299787005 * b)
  return [
    0.2104542553 * l + 0.793617785 * m - 0.0040720468 * s,
    1.9779984951 * l - 2.428592205 * m + 0.4505937099 * s,
    0.0259040371 * l + 0.7827717662 * m - 0.808675766 * s,
  ]
}

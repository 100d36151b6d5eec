/** A share from −1 to 1 of two whole numbers, the same on every machine. Source: the finishing steps of MurmurHash3 (A. Appleby). */
function share(n: number, seed: number): number {
  let h = Math.imul(n | 0, 0xcc9e2d51) ^ Math.imul(seed | 0, 0x1b873593)
  h = Math.imul(h ^ (h >>> 16), 0x85ebca6b)
  h = Math.imul(h ^ (h >>> 13), 0xc2b2ae35)
  return ((h ^ (h >>> 16)) >>> 0) / 2147483647.5 - 1
}

/**
 * Smooth noise of −1 to 1 along a line: gradient noise, 0 at each whole place and with slopes there at random, blended by
 * 6t⁵ − 15t⁴ + 10t³. Its mean over n places is at most 0.2 / n. Source: K. Perlin 2002, “Improving noise”, in one dimension and twice as high.
 */
export function noiseAt(place: number, seed: number): number {
  const cell = Math.floor(place)
  const t = place - cell
  const blend = t * t * t * (t * (t * 6 - 15) + 10)
  const [left, right] = [share(cell, seed) * t, share(cell + 1, seed) * (t - 1)]
  return 2 * (left + (right - left) * blend)
}

const octaves = 4

/** Flicker of −1 to 1 at a time in seconds: noise with one place per period, and at twice, four and eight times the rate weaker by `roughness` each. */
export function flickerAt(seconds: number, hertz: number, roughness: number, seed: number): number {
  let [sum, weights, weight, rate] = [0, 0, 1, hertz]
  for (let i = 0; i < octaves && weight > 0; i++) {
    sum += weight * noiseAt(seconds * rate, seed + i * 7919)
    weights += weight
    weight *= roughness
    rate *= 2
  }
  return sum / weights
}

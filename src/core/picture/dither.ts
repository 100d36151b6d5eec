// Noise that hides the steps of 8-bit codes. Source of the triangular shape: Lipshitz, Wannamaker, Vanderkooy 1992, Quantization and Dither: of it
// the mean and the variance of what is lost do not depend on the value.

/** 32 bits well mixed. Source: the finaliser of MurmurHash3 (public domain). */
export const mixedBits = (x: number): number => {
  let h = x ^ (x >>> 16)
  h = Math.imul(h, 0x85ebca6b)
  h ^= h >>> 13
  h = Math.imul(h, 0xc2b2ae35)
  return h ^ (h >>> 16)
}

/** A number of each channel, so that they are rounded apart from each other. */
const lanes = [0x1b873593, 0x36e7, 0x51ed270b, 0x27d4eb2f]

/** 32 bits that say how a pixel is rounded on a frame. */
export function ditherBits(x: number, y: number, channel: number, frame: number): number {
  const seed = Math.imul(Math.round(frame * 16), 0x27d4eb2d)
  return mixedBits(
    mixedBits((Math.imul(y, 0x9e3779b1) + seed + lanes[channel]!) | 0) ^ Math.imul(x, 0x85ebca77),
  )
}

/**
 * A code, 0 … 255, for a value in codes, so that many of them are right on the mean: noise of a code to both sides, triangular; within a code of the ends
 * of half a code, even, so that black and white stay as they are.
 */
export function ditheredCode(value: number, bits: number): number {
  const held = Math.min(255, Math.max(0, value))
  const [a, b] = [bits & 255, (bits >>> 8) & 255]
  const noise = held < 1 || held > 254 ? (a + 0.5) / 256 - 0.5 : (a + b + 1) / 256 - 1
  return Math.min(255, Math.max(0, Math.floor(held + 0.5 + noise)))
}

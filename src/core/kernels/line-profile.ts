/** One difference of a profile: its distance in samples and its weight on the double cumulative sum. */
export type Tap = readonly [offset: number, weight: number]
/** A profile for all channels, or one for each of red, green and blue. */
export type Taps = readonly [readonly Tap[]] | readonly [readonly Tap[], readonly Tap[], readonly Tap[]]

/**
 * The profile (1 − t/length)^exponent for 0 ≤ t < length, in samples, as taps: its weights on samples are means over each
 * sample's own span, so that they sum to length / (exponent + 1) and change without a jump with the length. Curved
 * profiles are drawn by straight pieces, eight for exponents from 1 to 2, within 0.5 % of their peak. Empty where length is 0.
 */
export function profileTaps(length: number, exponent: number, gain = 1): Tap[] {
  if (!(length > 0)) return []
  const last = Math.floor(length + 0.5)
  const rest = (t: number) => Math.max(0, 1 - t / length) ** (exponent + 1)
  const mean = (i: number) => (length / (exponent + 1)) * (rest(Math.max(0, i - 0.5)) - rest(i + 0.5))
  const isStraight = exponent === 0 || exponent === 1
  const pieces = exponent < 1 || exponent > 2 ? 12 : 8
  // Denser where the profile bends more.
  const inner = isStraight
    ? []
    : Array.from({ length: pieces - 1 }, (_, j) =>
        Math.round(length * (1 - (1 - (j + 1) / pieces) ** (2 / exponent))),
      )
  const knots = [...new Set([0, 1, 2, ...inner, last - 1, last, last + 1])]
    .filter((i) => i >= 0 && i <= last + 1)
    .toSorted((a, b) => a - b)
  const values = knots.map((i) => gain * (i > last ? 0 : mean(i)))
  for (let j = 3; j < knots.length - 3; j++) {
    // A chord lies on one side of a curve: moved by its mean distance, it is as often above as below.
    const bend = exponent * (exponent - 1) * Math.max(1e-6, 1 - knots[j]! / length) ** (exponent - 2)
    const side = (b: number, a: number) => ((b - a) / length) ** 2 / 12
    const chord = (side(knots[j]!, knots[j - 1]!) + side(knots[j + 1]!, knots[j]!)) / 2
    values[j]! -= Math.min(0.01, Math.max(-0.01, bend * chord)) * gain
  }
  const slopes = values.map((v, j) => (j === 0 ? v : (v - values[j - 1]!) / (knots[j]! - knots[j - 1]!)))
  // Before the first sample the profile is 0; a change of slope acts one sample after its knot.
  const taps: Tap[] = [[0, slopes[0]!]]
  for (let j = 0; j < knots.length; j++) taps.push([knots[j]! + 1, (slopes[j + 1] ?? 0) - slopes[j]!])
  return taps.filter(([, weight]) => weight !== 0)
}

/** The weights on samples that taps stand for, for checks and charts. */
export function weightsOf(taps: readonly Tap[]): number[] {
  const length = Math.max(0, ...taps.map(([offset]) => offset)) + 1
  const bends = new Array<number>(length).fill(0)
  for (const [offset, weight] of taps) bends[offset]! += weight
  let [slope, value] = [0, 0]
  return bends.map((bend) => {
    slope += bend
    value += slope
    return value
  })
}

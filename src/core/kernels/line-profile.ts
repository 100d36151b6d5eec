/** One difference of a profile: its distance in samples and its weight on the double cumulative sum. */
export type Tap = readonly [offset: number, weight: number]
/** A profile for all channels, or one for each of red, green and blue. */
export type Taps = readonly [readonly Tap[]] | readonly [readonly Tap[], readonly Tap[], readonly Tap[]]

/** Samples from one node of a line to the next: as many as its profiles allow. */
const nodeSteps = [16, 8, 4] as const

/** Profiles of so many nodes and more bend at nodes. */
const longProfile = 20

/**
 * The profile (1 − t/length)^exponent for 0 ≤ t < length, in samples, as taps: its weights on samples are means over each
 * sample's own span, so that they sum to length / (exponent + 1) and change without a jump with the length. Curved
 * profiles are drawn by straight pieces, eight for exponents from 1 to 2, within 0.5 % of their peak. Long ones bend where their taps lie on
 * nodes of a line, as seen ahead or from its other end. Empty where length is 0.
 */
export function profileTaps(length: number, exponent: number, gain = 1, way: 1 | -1 = 1): Tap[] {
  if (!(length > 0)) return []
  const last = Math.floor(length + 0.5)
  const rest = (t: number) => Math.max(0, 1 - t / length) ** (exponent + 1)
  const mean = (i: number) => (length / (exponent + 1)) * (rest(Math.max(0, i - 0.5)) - rest(i + 0.5))
  const isStraight = exponent === 0 || exponent === 1
  const pieces = exponent < 1 || exponent > 2 ? 12 : 8
  // A tap lies one sample after its bend, or one before it where it is seen from the other end.
  const step = nodeSteps.find((each) => length >= longProfile * each && (exponent >= 1 || each === 4))
  const held = (knot: number) =>
    step === undefined ? Math.round(knot) : Math.round((knot + way) / step) * step - way
  // Denser where the profile bends more.
  const inner = isStraight
    ? []
    : Array.from({ length: pieces - 1 }, (_, j) =>
        held(length * (1 - (1 - (j + 1) / pieces) ** (2 / exponent))),
      )
  const knots = [...new Set([0, 1, held(2), ...inner, last - 1, last, last + 1])]
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

/** A weight for each channel on the double cumulative sum of a line, `shift` samples on from where it is drawn. */
export interface LineTap {
  readonly shift: number
  readonly weights: readonly [red: number, green: number, blue: number, alpha: number]
}

/** How a line is drawn: sums of all taps. */
export interface LineTaps {
  /** The sample itself and the two before it. */
  readonly near: readonly [LineTap, LineTap, LineTap]
  /** Taps that bend a line only a little, at shifts of whole nodes: looked up at nodes only, a straight line between them. */
  readonly smooth: readonly LineTap[]
  /** All others, looked up at each sample. */
  readonly sharp: readonly LineTap[]
  /** Samples from one node to the next. */
  readonly step: number
}

/**
 * A bend of this share of the profile's peak may be rounded off over two nodes of four samples, one of half of it over two of eight: a point's light
 * is away from its profile by about so much at most, where several lie close together by 0.4 %.
 */
const smoothBend = 1 / 480

/**
 * The taps of profiles ahead and behind on sums that run ahead. Seen from the other end a profile bends two samples nearer. What is rounded off
 * keeps its light and its middle, so that the profile is exact beyond. Profiles by channel give no alpha.
 */
export function lineTaps(ahead: Taps | undefined, behind: Taps | undefined): LineTaps {
  const all = ([1, -1] as const).flatMap((way) => {
    const tables = (way > 0 ? ahead : behind) ?? []
    return tables.flatMap((taps, c) => {
      const channels = tables.length === 3 ? [c] : [0, 1, 2, 3]
      const [start, second] = [0, 1].map((at) => taps.find(([offset]) => offset === at)?.[1] ?? 0) as [
        number,
        number,
      ]
      const peak = Math.max(Math.abs(start), Math.abs(2 * start + second))
      return taps.map(([offset, weight]) => ({
        shift: way > 0 ? -offset : offset - 2,
        weight,
        channels,
        /** The bend in nodes of four samples that may be rounded off. */
        bend: Math.abs(weight) / (peak * smoothBend),
      }))
    })
  })
  const isNear = (shift: number) => shift <= 0 && shift >= -2
  const bends = all.filter(({ shift, bend }) => !isNear(shift) && bend <= 1)
  const most = Math.max(0, ...bends.map(({ bend }) => bend))
  const step = nodeSteps.find((each) => most * each <= 4) ?? 4
  const kinds = { near: new Map(), smooth: new Map(), sharp: new Map() } as Record<
    'near' | 'smooth' | 'sharp',
    Map<number, [number, number, number, number]>
  >
  const add = (kind: keyof typeof kinds, shift: number, channels: readonly number[], weight: number) => {
    const known = kinds[kind].get(shift) ?? [0, 0, 0, 0]
    for (const c of channels) known[c]! += weight
    kinds[kind].set(shift, known)
  }
  for (const shift of [0, -1, -2]) add('near', shift, [], 0)
  for (const { shift, weight, channels, bend } of all)
    if (isNear(shift)) add('near', shift, channels, weight)
    else if (bend > 1) add('sharp', shift, channels, weight)
    else {
      const before = Math.floor(shift / step) * step
      const part = (shift - before) / step
      if (part < 1) add('smooth', before, channels, weight * (1 - part))
      if (part > 0) add('smooth', before + step, channels, weight * part)
    }
  const listed = (kind: keyof typeof kinds) =>
    [...kinds[kind]].map(([shift, weights]): LineTap => ({ shift, weights }))
  return {
    near: listed('near') as [LineTap, LineTap, LineTap],
    smooth: listed('smooth'),
    sharp: listed('sharp'),
    step,
  }
}

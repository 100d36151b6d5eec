import { halfTable, numberToHalf } from '../picture/half.ts'
import { withCodec } from '../codec/codec.ts'
import { findDepthMiss, type DepthMiss } from './depth-miss.ts'
import type { PassBlock } from './pass-block.ts'

export interface ChannelStats {
  readonly low: number
  readonly high: number
  /** Values that are ±infinity, and that are no number. */
  readonly infinite: number
  readonly nan: number
}

/** What the values of a pass look like; everything but the counts of what is not finite comes from a sample. */
export interface PassStats {
  readonly channels: readonly ChannelStats[]
  /** Share (0–1) of the non-zero vectors of three channels whose length is 1 within 2 %. */
  readonly unitLength: number
  /** All finite values are whole numbers. */
  readonly isWhole: boolean
  /** Different first-three-channel values met, at most as many as pixels looked at. */
  readonly distinct: number
  /** Partly covered pixels: what they say about premultiplication, see alphaEvidence. */
  readonly alpha: AlphaEvidence | undefined
  /** Share (0–1) of non-zero colour values that are exact 8-bit codes over 255. */
  readonly eightBit: number
  /** Of the first channel: the value that would mean that nothing was hit, were it depth. */
  readonly miss?: DepthMiss | undefined
}

/** Pixels of partial cover (0.05 < α < 0.95), and what their colours look like as stored. */
export interface AlphaEvidence {
  readonly partial: number
  /** Share of them whose colour exceeds alpha by more than a code of 8 bits. */
  readonly above: number
  /** Mean brightest channel at α < 0.35 over that at α > 0.65: near 0.25 when multiplied by alpha, near 1 when not. */
  readonly slope: number
}

const mostSamples = 60_000

/** Looks through a pass as it is stored. A pixel in so many is looked at, which is enough to tell what it is. */
export function passStats({ width, height, channels, data }: PassBlock): PassStats {
  const count = width * height
  const halves = data instanceof Uint16Array ? halfTable() : undefined
  const at = (i: number) => (halves ? halves[data[i]!]! : data[i]!)
  const found = Array.from({ length: channels }, () => ({
    low: Infinity,
    high: -Infinity,
    infinite: 0,
    nan: 0,
  }))
  // Odd and off the width, so that samples do not stand in columns.
  let step = Math.max(1, Math.floor(count / mostSamples)) | 1
  if (step > 1 && width % step === 0) step += 2
  const seen = new Set<number>()
  const first: number[] = []
  const word = new Uint32Array(Float32Array.of(0).buffer)
  const float = new Float32Array(word.buffer)
  let [isWhole, vectors, unit, coded, colours] = [true, 0, 0, 0, 0]
  for (let p = 0; p < count; p += step) {
    let [sum, mixed] = [0, 0]
    for (let c = 0; c < channels; c++) {
      const value = at(p * channels + c)
      if (!Number.isFinite(value)) continue
      if (c === 0) first.push(value)
      const one = found[c]!
      if (value < one.low) one.low = value
      if (value > one.high) one.high = value
      if (isWhole && !Number.isInteger(value)) isWhole = false
      if (c > 2) continue
      sum += value * value
      float[0] = value
      mixed = (Math.imul(mixed, 0x01000193) ^ word[0]!) | 0
      if (value > 0) {
        colours++
        const code = value * 255
        if (Math.abs(code - Math.round(code)) < 0.06 && code < 255.1) coded++
      }
    }
    seen.add(mixed)
    if (channels >= 3 && sum > 1e-6) {
      vectors++
      if (Math.abs(Math.sqrt(sum) - 1) < 0.02) unit++
    }
  }
  for (const [from, to] of partsWithNonFinite(data))
    for (let i = from; i < to; i++) {
      const value = at(i)
      if (value - value === 0) continue
      const one = found[i % channels]!
      if (Number.isNaN(value)) one.nan++
      else one.infinite++
    }
  let miss: { found: DepthMiss | undefined } | undefined
  return {
    channels: found.map((c) => (c.low > c.high ? { ...c, low: 0, high: 0 } : c)),
    unitLength: vectors > 0 ? unit / vectors : 0,
    isWhole,
    distinct: seen.size,
    alpha: channels === 4 ? alphaEvidence(data, count, step, at) : undefined,
    eightBit: colours > 0 ? coded / colours : 0,
    // Asked for only where the pass seems to be depth.
    get miss() {
      miss ??= { found: findDepthMiss(first) }
      return miss.found
    },
  }
}

/** Values that are looked through at once. */
const atOnce = 8192

/** Parts of the data in which any value is infinite or no number. */
function partsWithNonFinite(data: Uint16Array | Float32Array): [from: number, to: number][] {
  const found: [number, number][] = []
  const size = data.BYTES_PER_ELEMENT
  const bytes = new Uint8Array(data.buffer, data.byteOffset, data.byteLength)
  withCodec(({ codec, room }) => {
    const at = room(atOnce * size)
    const memory = new Uint8Array(codec.memory.buffer)
    for (let from = 0; from < bytes.length; from += atOnce * size) {
      const part = bytes.subarray(from, from + atOnce * size)
      memory.set(part, at)
      memory.fill(0, at + part.length, at + part.length + 16)
      if (codec.anyNonFinite(at, part.length, size)) found.push([from / size, (from + part.length) / size])
    }
  })
  return found
}

/** Codes of halves that stand for 0.05 and 0.95. */
const [thinCode, thickCode] = [numberToHalf(0.05), numberToHalf(0.95)]

/** Pixels of partial cover are few: the others are passed over by their codes. */
function alphaEvidence(
  data: PassBlock['data'],
  count: number,
  step: number,
  at: (i: number) => number,
): AlphaEvidence {
  const codes = data instanceof Uint16Array ? data : undefined
  let [partial, above, thin, thinSum, thick, thickSum] = [0, 0, 0, 0, 0, 0]
  // Edges are thin: all pixels of small pictures, a denser sample of large ones.
  for (let p = 0; p < count; p += Math.max(1, step >> 3)) {
    const code = codes?.[p * 4 + 3]
    if (code !== undefined && (code < thinCode || code > thickCode)) continue
    const alpha = at(p * 4 + 3)
    if (!(alpha > 0.05 && alpha < 0.95)) continue
    partial++
    const brightest = Math.max(at(p * 4), at(p * 4 + 1), at(p * 4 + 2))
    if (brightest > alpha + 1 / 255) above++
    if (alpha < 0.35) {
      thin++
      thinSum += brightest
    } else if (alpha > 0.65) {
      thick++
      thickSum += brightest
    }
  }
  const slope = thin > 0 && thickSum > 0 ? thinSum / thin / (thickSum / thick) : NaN
  return { partial, above: partial > 0 ? above / partial : 0, slope }
}

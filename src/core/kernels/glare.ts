import type { Picture, Rgb } from '../picture/picture.ts'
import { ascend, descend, type Workshop } from './pyramid.ts'

/** Who sees, and how large the picture is to them. */
export interface Eye {
  /** Degrees of the field of view that the frame's width fills. */
  readonly field: number
  /** Years. */
  readonly age: number
  /** 0 for very dark eyes, 0.5 brown, 1 blue-green, 1.2 light blue. */
  readonly pigment: number
}

/**
 * Veil of a glare source at an angle θ (degrees, 0.1–100), per unit of its illuminance, in 1/sr: 10/θ³ + [5/θ² + 0.1 p/θ] · [1 + (A/62.5)⁴]
 * + 0.0025 p. Nearer than 0.1° it stays as it is there. Source: CIE 146:2002, general disability glare equation (from memory).
 */
export function glareVeil(degrees: number, { age, pigment }: Pick<Eye, 'age' | 'pigment'>): number {
  const angle = Math.min(100, Math.max(0.1, degrees))
  const older = 1 + (age / 62.5) ** 4
  return 10 / angle ** 3 + (5 / angle ** 2 + (0.1 * pigment) / angle) * older + 0.0025 * pigment
}

/** Pixels from the middle within which the veil is computed for each. */
const steepWithin = 48

/** The largest side that is transformed whole; a larger picture is glared at a smaller size, as its veil is soft. */
const mostSide = 2048

/**
 * The veil within so many pixels is made at full size, what is left of it farther out at a quarter: between both it goes over
 * smoothly, so that neither has anything finer than its pixels.
 */
const [innerFrom, innerTo] = [16, 80]
const outerFactor = 4
/** What halving twice and bringing up again adds to the variance of light, in pixels of full size; see pyramidSigma. */
const outerVariance = 7.5

/** The next side that can be transformed: 2ⁿ, 3 · 2ⁿ or 5 · 2ⁿ. */
function sideAbove(n: number): number {
  const sides = [1, 3, 5].map((odd) => odd * 2 ** Math.max(1, Math.ceil(Math.log2(n / odd))))
  return Math.min(...sides)
}

/** Width and height of the whole of which a picture may be a part. */
export type WholeSize = readonly [width: number, height: number]

/**
 * How the glare of a picture is computed: at which size, how far it reaches, and the size of its transforms: of what is near and,
 * where it reaches farther, of a quarter of the size. Size and reach are those of the whole of which it may be a part.
 */
export function glareSize(width: number, height: number, whole: WholeSize = [width, height]) {
  const factor = 2 ** Math.max(0, Math.ceil(Math.log2(Math.max(...whole) / mostSide)))
  const [w, h] = [Math.ceil(width / factor), Math.ceil(height / factor)]
  const reach = Math.max(2, Math.floor(Math.ceil(Math.max(...whole) / factor) / 2))
  const isSplit = reach > 2 * innerTo
  const inner = isSplit ? innerTo : reach
  const sides = [sideAbove(w + inner), sideAbove(h + inner)] as const
  if (!isSplit) return { factor, w, h, reach, inner, sides, outer: undefined }
  const outerReach = Math.floor(reach / outerFactor)
  // A picture that is halved twice has four pixels of margin all around.
  const outer = [w, h].map((n) => sideAbove(Math.ceil(Math.ceil(n / 2) / 2) + 8 + outerReach)) as [
    number,
    number,
  ]
  return { factor, w, h, reach, inner, sides, outer: { reach: outerReach, sides: outer } }
}

/** How much of the veil at a distance is left for what is made at a quarter: 0 near, 1 far, level with both. */
function outerShare(r: number): number {
  const t = Math.min(1, Math.max(0, (r - innerFrom) / (innerTo - innerFrom)))
  return t * t * t * (t * (t * 6 - 15) + 10)
}

/** Real transforms of a symmetric point spread, of what is near and far in it: one under the other into `out`. */
function transformed(
  out: Float32Array,
  sides: readonly [number, number],
  reach: number,
  valueAt: (r: number) => readonly [near: number, far: number],
  { kernels, store }: Workshop,
): void {
  const [width, height] = sides
  const spread = store.allocate(width, height, 4)
  const { data } = spread
  data.fill(0)
  for (let y = 0; y <= reach; y++)
    for (let x = 0; x <= reach; x++) {
      const r = Math.sqrt(x * x + y * y)
      if (r > reach) continue
      const [near, far] = valueAt(r)
      for (const row of y === 0 ? [0] : [y, height - y])
        for (const column of x === 0 ? [0] : [x, width - x]) {
          data[(row * width + column) * 4] = near
          data[(row * width + column) * 4 + 2] = far
        }
    }
  kernels.fourier(spread, false)
  const pixels = width * height
  for (let i = 0; i < pixels; i++) {
    out[i] = data[i * 4]!
    out[pixels + i] = data[i * 4 + 2]!
  }
  store.release(spread)
}

/** Where the transforms of each part lie in what `glareSpectrum` makes. */
function partsOf(spectrum: Picture, { sides, outer }: ReturnType<typeof glareSize>) {
  const part = ([w, h]: readonly [number, number], from: number): Picture => ({
    width: w,
    height: 2 * h,
    channels: 1,
    data: spectrum.data.subarray(from, from + 2 * w * h),
    at: spectrum.at + from * 4,
  })
  const inner = part(sides, 0)
  return { inner, outer: outer && part(outer.sides, inner.data.length) }
}

/**
 * The transforms of an eye's point spread for pictures of a size: its light sums to 1, what is near and what is far in it apart (by
 * the logarithm of the distance), and each of them made at full size close by and at a quarter farther out. `frameWidth` is what fills the field of
 * view, in pixels.
 */
export function glareSpectrum(
  width: number,
  height: number,
  eye: Eye,
  frameWidth: number,
  workshop: Workshop,
  whole?: WholeSize,
): Picture {
  const size = glareSize(width, height, whole)
  const { factor, reach, inner, sides, outer } = size
  const perPixel = (eye.field * factor) / frameWidth
  // The curve is steep near its middle: there it is computed for every pixel, farther out between whole pixels of a table.
  const table = Float64Array.from({ length: reach + 3 }, (_, r) => glareVeil(r * perPixel, eye))
  const between = (values: Float64Array, r: number) => {
    const i = Math.floor(r)
    return values[i]! + (values[i + 1]! - values[i]!) * (r - i)
  }
  const veilAt = (r: number) => (r < steepWithin ? glareVeil(r * perPixel, eye) : between(table, r))
  const span = Math.log2(reach)
  const farOf = (r: number) => Math.log2(Math.max(1, r)) / span
  const isSplit = outer !== undefined
  const leftOf = (r: number) => (isSplit ? outerShare(r) : 0)
  // All light, and that of the outer part: of what is near in it, and of what is far.
  let sum = 0
  const left = [0, 0]
  for (let y = 0; y <= reach; y++)
    for (let x = 0; x <= reach; x++) {
      const r = Math.sqrt(x * x + y * y)
      if (r > reach) continue
      const value = (x === 0 ? 1 : 2) * (y === 0 ? 1 : 2) * veilAt(r)
      sum += value
      if (!isSplit) continue
      const far = value * leftOf(r)
      left[0]! += far * (1 - farOf(r))
      left[1]! += far * farOf(r)
    }
  const floats = 2 * sides[0] * sides[1] + (outer ? 2 * outer.sides[0] * outer.sides[1] : 0)
  const spectrum = workshop.store.allocate(floats, 1, 1)
  const parts = partsOf(spectrum, size)
  const innerAt = (r: number) => {
    const value = (veilAt(r) * (1 - leftOf(r))) / sum
    return [value * (1 - farOf(r)), value * farOf(r)] as const
  }
  transformed(parts.inner.data, sides, inner, innerAt, workshop)
  if (!outer || !parts.outer) return spectrum
  // Sharpened by what halving and bringing up will soften: f − σ²/2 · (f″ + f′/r).
  const lanes = [0, 1].map((lane) => {
    const plain = (r: number) =>
      veilAt(Math.abs(r)) * leftOf(Math.abs(r)) * (lane === 0 ? 1 - farOf(r) : farOf(r))
    const at = Float64Array.from({ length: reach + 3 }, (_, r) => plain(r))
    return at.map((f, r) => {
      if (r < 1 || r > reach) return f
      const [before, after] = [at[r - 1]!, at[r + 1]!]
      return f - (outerVariance / 2) * (after - 2 * f + before + (after - before) / (2 * r))
    })
  }) as [Float64Array, Float64Array]
  const total = [0, 0]
  for (let y = 0; y <= outer.reach; y++)
    for (let x = 0; x <= outer.reach; x++) {
      const r = Math.sqrt(x * x + y * y)
      if (r > outer.reach) continue
      for (const lane of [0, 1] as const)
        total[lane]! += (x === 0 ? 1 : 2) * (y === 0 ? 1 : 2) * between(lanes[lane], r * outerFactor)
    }
  const scales = [0, 1].map((lane) => (total[lane]! === 0 ? 0 : left[lane]! / total[lane]! / sum)) as [
    number,
    number,
  ]
  const outerAt = (r: number) =>
    [0, 1].map((lane) => between(lanes[lane]!, r * outerFactor) * scales[lane]!) as [number, number]
  transformed(parts.outer.data, outer.sides, outer.reach, outerAt, workshop)
  return spectrum
}

/** The light of `src` as an eye scatters it: near and far light times their colours, black outside. `out` may be `src`. The spectrum is of the same sizes. */
export function glare(
  out: Picture,
  src: Picture,
  spectrum: Picture,
  near: Rgb,
  far: Rgb,
  workshop: Workshop,
  whole?: WholeSize,
): void {
  const { kernels, store } = workshop
  const size = glareSize(src.width, src.height, whole)
  const { factor, w, h, sides, outer } = size
  const parts = partsOf(spectrum, size)
  const small = factor === 1 ? src : store.allocate(w, h, 4)
  if (factor > 1) kernels.boxReduce(small, src, factor)
  const isOne = near.every((v, c) => v === far[c])
  const filtered = (
    to: Picture,
    from: Picture,
    filter: Picture,
    [width, height]: readonly [number, number],
  ) => {
    const plane = store.allocate(width, height, 4)
    const scaled = (colour: Rgb) => colour.map((v) => v / (width * height)) as unknown as Rgb
    kernels.filterBy(to, from, filter, plane, [1, isOne ? 1 : 0], scaled(near), false)
    if (!isOne) kernels.filterBy(to, from, filter, plane, [0, 1], scaled(far), true)
    store.release(plane)
  }
  // All that is read of `src` is read before, where it is `out` too.
  const sum = factor === 1 && isOne ? out : store.allocate(w, h, 4)
  const levels = outer ? descend(small, 2, 'black', workshop) : []
  filtered(sum, small, parts.inner, sides)
  if (outer && parts.outer) {
    const [, half, quarter] = levels as [Picture, Picture, Picture]
    const wide = store.allocate(quarter.width, quarter.height, 4)
    filtered(wide, quarter, parts.outer, outer.sides)
    ascend(half, undefined, wide, 1, 0, 1, kernels)
    ascend(sum, sum, half, 0, 1, 1, kernels)
    for (const picture of [half, quarter, wide]) store.release(picture)
  }
  if (factor > 1) kernels.resample(out, sum, [1 / factor, 0, 0, 0, 1 / factor, 0], 'cubic')
  else if (sum !== out) out.data.set(sum.data)
  if (sum !== out) store.release(sum)
  if (small !== src) store.release(small)
}

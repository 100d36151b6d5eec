import type { LinearColour } from '../picture/colour.ts'
import type { Picture, PictureStore } from '../picture/picture.ts'
import type { Caught, Edge, Kernels } from './kernels.ts'

/** What a picture operation made of several kernels works with. */
export interface Workshop {
  readonly kernels: Kernels
  readonly store: PictureStore
}

/**
 * Pixels kept around every level but the first: light that has left the frame at one level can come back in at a
 * coarser one, so nothing is lost at the border.
 */
const pad = 4

/** One level's distance between its first pixel and the first of the next, in the terms of `halve` and `upAdd`. */
const levelOffset = (level: number) => (level === 0 ? 0 : pad) - 2 * pad

/** Standard deviation, in pixels of the first level, of a picture halved `levels` times and brought back up. */
export function pyramidSigma(levels: number): number {
  // Down and up each add 0.75 px² at every level: 1.5 · (1 + 4 + … + 4^(levels−1)).
  return Math.sqrt(0.5 * (4 ** levels - 1))
}

/**
 * Halves `src` repeatedly; the first entry is `src` itself, the others are the caller's to give back. `from` is the level of
 * `src`: 0 for a whole picture, more for one that has been halved already.
 */
export function descend(
  src: Picture,
  levels: number,
  edge: Edge,
  { kernels, store }: Workshop,
  from = 0,
): Picture[] {
  const result = [src]
  const own = from === 0 ? 0 : 2 * pad
  let [width, height] = [src.width - own, src.height - own]
  for (let level = 0; level < levels; level++) {
    width = Math.ceil(width / 2)
    height = Math.ceil(height / 2)
    const next = store.allocate(width + 2 * pad, height + 2 * pad, 4)
    kernels.halve(next, result[level]!, levelOffset(from + level), edge)
    result.push(next)
  }
  return result
}

/** Brings `coarse` (of level + 1) up onto `out` (of `level`), added to `fine`. */
export function ascend(
  out: Picture,
  fine: Picture | undefined,
  coarse: Picture,
  level: number,
  fineWeight: number,
  coarseWeight: number,
  kernels: Kernels,
): void {
  kernels.upAdd(out, fine, coarse, levelOffset(level), fineWeight, coarseWeight)
}

/** One half of a normalised, symmetric sampled Gaussian, its middle first; reaches 3.5 standard deviations. */
export function gaussWeights(sigma: number): number[] {
  const radius = Math.ceil(3.5 * sigma)
  const half = Array.from({ length: radius + 1 }, (_, k) => Math.exp(-(k * k) / (2 * sigma * sigma)))
  const sum = half.reduce((a, b) => a + b) * 2 - 1
  return half.map((w) => w / sum)
}

/**
 * Gaussian blur of standard deviation `sigma` pixels; pixels outside repeat the edge. `out` may be `src`.
 * Large blurs are computed on a halved picture, where what is left of the blur is still 2 px or more, and brought
 * back up by a tent: at most 3e-3 of the peak away from the true impulse response, energy kept.
 */
export function gaussianBlur(out: Picture, src: Picture, sigma: number, workshop: Workshop): void {
  const { kernels, store } = workshop
  if (sigma < 0.05) {
    if (out !== src) out.data.set(src.data)
    return
  }
  let halvings = 0
  const rest = (n: number) => Math.sqrt((sigma ** 2 - pyramidSigma(n) ** 2) / 4 ** n)
  while (sigma > pyramidSigma(halvings + 1) && rest(halvings + 1) >= 2 && src.width >> halvings > 1)
    halvings++
  const levels = descend(src, halvings, 'repeat', workshop)
  const last = levels[halvings]!
  const weights = gaussWeights(rest(halvings))
  const between = store.allocate(last.width, last.height, 4)
  kernels.gaussRows(between, last, weights)
  const blurred = halvings === 0 ? out : last
  kernels.gaussColumns(blurred, between, weights)
  store.release(between)
  for (let level = halvings - 1; level >= 0; level--)
    ascend(level === 0 ? out : levels[level]!, undefined, levels[level + 1]!, level, 0, 1, kernels)
  for (const picture of levels.slice(1)) store.release(picture)
}

/** Standard deviation of each level's Gaussian, in pixels; levels below 1 are finer than a pyramid resolves. */
const levelSigma = (level: number): number =>
  // Each level is smoothed by 1.5 px² of its own on its way up, and with all finer ones: 1.5 · (4 + 16 + … + 4^level).
  level > 0 ? Math.sqrt((0.5 + 2) * (4 ** level - 1)) : levelSigma(1) * 2 ** (level - 1)

/** The share of each level, unspread light first, for a picture `reduction` times smaller than the full frame. */
function spreadWeights(widest: number, tight: number, reduction: number, most: number) {
  const octaves = (level: number) => Math.log2(widest / levelSigma(level))
  const clamp = (v: number) => Math.min(1, Math.max(0, v))
  // A level fades in over one doubling of `widest`.
  const share = (level: number) => clamp(octaves(level) + 0.5) * 2 ** (tight * octaves(level))
  let count = 1
  while (count < most && octaves(count + 1) > -0.5) count++
  const finest = 1 - Math.log2(reduction)
  // Below the finest width the unspread light takes over, as do widths finer than these pixels.
  let unspread = clamp(0.5 - octaves(finest))
  for (let level = finest; level <= 0; level++) unspread += share(level)
  const weights = [unspread, ...Array.from({ length: count }, (_, i) => share(i + 1))]
  // Of the light that stays at full size, the part of the width that smoothing alone makes.
  const softened = finest <= 0 && unspread > 0 ? share(0) / unspread : 0
  return { weights, softened, sum: weights.reduce((a, b) => a + b) }
}

/** A round Gaussian holds 95 % of its light within this many standard deviations: √(−2 ln 0.05). */
export const radius95 = 2.4477

/** How the light of a point falls with the distance when it is spread, 1 in the middle; to where 95 % of the widest Gaussian lies. */
export function spreadProfile(widest: number, tight: number) {
  const { weights } = spreadWeights(widest, tight, 1, 20)
  const at = (px: number) =>
    weights.reduce((sum, weight, level) => {
      const variance = levelSigma(level) ** 2
      return sum + (weight / variance) * Math.exp(-(px * px) / (2 * variance))
    }, 0)
  const middle = at(0)
  return { reach: radius95 * widest, at: (px: number) => at(px) / middle }
}

/** How light is spread. */
export interface Spread {
  /** Standard deviation of the widest Gaussian, pixels of the picture, > 0; changes without a jump. */
  readonly widest: number
  /** Share of the small widths against the large: 0 the same for each doubling, +2 tight, −2 wide. */
  readonly tight: number
  /** Factor on the light. */
  readonly gain: number
  /**
   * How much smaller than the full frame the picture is: widths that only the full frame resolves keep their share, so that a
   * proxy looks like the full picture.
   */
  readonly reduction: number
  /** Only what `brightPass` lets through is spread. */
  readonly caught?: Caught
  /** Colours the light. */
  readonly colour?: LinearColour | undefined
  readonly workshop: Workshop
}

/**
 * Spreads light as a sum of Gaussians whose widths double, black outside: `out` = gain · Σ wₗ · G(σₗ) * src with Σ wₗ = 1,
 * so the energy of the light is kept. `out` may be `src`.
 */
export function spreadLight(out: Picture, src: Picture, how: Spread): void {
  const { widest, tight, gain, reduction, caught, colour, workshop } = how
  const { kernels, store } = workshop
  const most = Math.max(1, Math.ceil(Math.log2(Math.max(src.width, src.height))))
  const { weights, softened, sum: total } = spreadWeights(widest, tight, reduction, most)
  const count = weights.length - 1
  const unspread = weights[0]!
  const sum = total / gain
  // Unspread light is needed at full size only where it has a share; it is caught on the way to half the size otherwise.
  const isWhole = unspread > 0 || !caught
  if (isWhole && caught) kernels.brightPass(out, src, caught)
  const first = isWhole && caught ? out : src
  if (isWhole && colour) kernels.colourMatrix(out, first, colour.matrix, colour.alpha)
  const whole = isWhole && colour ? out : first
  const half = store.allocate(Math.ceil(src.width / 2) + 2 * pad, Math.ceil(src.height / 2) + 2 * pad, 4)
  if (isWhole) kernels.halve(half, whole, levelOffset(0), 'black')
  else {
    kernels.brightHalve(half, src, levelOffset(0), caught)
    if (colour) kernels.colourMatrix(half, half, colour.matrix, colour.alpha)
  }
  if (softened > 0) {
    const soft = store.allocate(src.width, src.height, 4)
    kernels.smooth(soft, whole)
    kernels.mix(out, whole, soft, undefined, softened)
    store.release(soft)
  }
  const levels = [softened > 0 ? out : whole, ...descend(half, count - 1, 'black', workshop, 1)]
  for (let level = count - 1; level >= 0; level--) {
    const target = level === 0 ? out : levels[level]!
    // What is left of the grid of a level's pixels would make the glow of a small light that moves flicker.
    const coarse = levels[level + 1]!
    const soft = store.allocate(coarse.width, coarse.height, 4)
    kernels.smooth(soft, coarse)
    const fine = weights[level]! > 0 ? levels[level] : undefined
    const coarseWeight = level === count - 1 ? weights[count]! / sum : 1
    ascend(target, fine, soft, level, weights[level]! / sum, coarseWeight, kernels)
    store.release(soft)
  }
  for (const picture of levels.slice(1)) store.release(picture)
}

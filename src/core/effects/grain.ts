import type { GrainLine } from '../kernels/kernels.ts'
import { hashUnit } from '../kernels/noise.ts'
import { gaussWeights } from '../kernels/pyramid.ts'
import { number } from '../dials/dials.ts'
import { defineEffect } from './effect.ts'

/** Full width of a Gaussian at half of its height, in standard deviations: 2 √(2 ln 2). */
const widthOf = 2.3548

/** How much less grain of a standard deviation σ varies in the mean of r pixels in a row. */
function lessInMean(sigma: number, r: number): number {
  let sum = 0
  for (let i = 0; i < r; i++)
    for (let j = 0; j < r; j++)
      sum += i === j ? 1 : sigma > 0 ? Math.exp(-((i - j) ** 2) / (4 * sigma ** 2)) : 0
  return Math.sqrt(sum) / r
}

/** A line of weights for grain of such standard deviations, one for each channel, so that its variance stays 1 both ways. */
export function grainLine(sigmas: readonly [number, number, number, number]): GrainLine {
  const each = sigmas.map((sigma) => {
    const half = sigma < 0.2 ? [1] : gaussWeights(sigma)
    const power = half.reduce((sum, w, k) => sum + (k ? 2 : 1) * w * w, 0)
    return half.map((w) => w / Math.sqrt(power))
  })
  const most = Math.max(...each.map((half) => half.length))
  return Array.from(
    { length: most },
    (_, k) => each.map((half) => half[k] ?? 0) as [number, number, number, number],
  )
}

const strength = (where: string, value: number) =>
  number({
    default: value,
    range: [0, 0.25],
    hard: [0, 100],
    step: 0.001,
    hint: `Standard deviation of the grain ${where}, in scene-linear light.`,
  })
const coarser = (channel: string, value: number) =>
  number({
    default: value,
    range: [0.25, 3],
    hard: [0.01, 20],
    step: 0.05,
    label: `${channel} size`,
    hint: `How much coarser the grain of ${channel.toLowerCase()} is than the size says.`,
  })

export default defineEffect({
  id: 'grain',
  title: 'Grain',
  family: 'finish',
  kind: 'filter',
  purpose: 'Film grain that is another on each frame: it ties layers together and hides bands.',
  search: 'film noise grainy texture iso sensor dither banding bands gritty speckle analogue analog stock',
  law: `colour + alpha · much(Y) · g, alpha stays; nothing where alpha is 0. Y is the luminance of the colour without its alpha, held in 0–1; much runs evenly over √Y from shadows (Y = 0) over middle (0.18) to lights (1 and beyond). g has a mean of 0 and a standard deviation of 1: for each pixel and channel the sum of the four bytes of a hash of seed, frame and pixel (variance 4 · (256² − 1) / 12), weighed by a Gaussian whose full width at half height is size px times the channel's own size, and brought back to that deviation. Colour c mixes the channel's own grain and one shared by all: ((1 − c) · shared + c · own) / √((1 − c)² + c²). Light may go below 0. The same on every machine; on a proxy it is drawn in larger pixels, as strong as the mean of the small ones.`,
  belongs: {
    after: ['light', 'depth', 'motion', 'shade', 'colour', 'matte', 'finish'],
    before: [],
    reason:
      'Grain lies in the film, behind light, lens and all else: what comes after would spread or smear it.',
    isFirm: true,
  },
  reach: () => 0,
  dials: {
    size: number({
      default: 1.3,
      range: [0, 8],
      hard: [0, 64],
      unit: 'px',
      step: 0.05,
      hint: 'Width of a grain; below half a pixel each pixel is its own.',
    }),
    shadows: strength('in the dark', 0.003),
    middle: strength('at middle grey, 0.18', 0.014),
    lights: strength('at white and beyond', 0.03),
    colour: number({
      default: 0.5,
      range: [0, 1],
      step: 0.01,
      hint: '0 is grey grain, 1 has grain of its own in red, green and blue.',
    }),
    red: coarser('Red', 1),
    green: coarser('Green', 1),
    blue: coarser('Blue', 1.4),
    seed: number({
      default: 1,
      range: [0, 9999],
      step: 1,
      hint: 'Another number, other grain: give each shot its own.',
    }),
  },
  varies: () => true,
  starts: [
    { name: 'Fine', dials: { size: 1, shadows: 0.002, middle: 0.008, lights: 0.018 } },
    { name: 'Coarse', dials: { size: 2.6, shadows: 0.006, middle: 0.03, lights: 0.06 } },
    { name: 'Grey', dials: { size: 1.6, colour: 0 } },
  ],
  example: { size: 2.5, shadows: 0.005, middle: 0.03, lights: 0.06 },
  apply({ out, picture, dials, frame, corner = [0, 0], reduction, kernels, store }) {
    const sigma = (own: number) => (dials.size * own) / widthOf
    const line = grainLine([sigma(dials.red), sigma(dials.green), sigma(dials.blue), sigma(1)])
    const reach = line.length - 1
    // A number of the frame, parts of frames too, so that no two are alike.
    const seed = Math.floor(hashUnit(Math.round(dials.seed), Math.round(frame * 4096)) * 2 ** 32) | 0
    const noise = store.allocate(out.width, out.height + 2 * reach, 4)
    kernels.grainRows(noise, seed, [corner[0], corner[1] - reach], line)
    const less = reduction > 1 ? lessInMean(sigma(1) * reduction, reduction) ** 2 : 1
    const look = {
      shadows: dials.shadows * less,
      middle: dials.middle * less,
      lights: dials.lights * less,
      colour: dials.colour,
    }
    kernels.grain(out, picture, noise, line, look)
    store.release(noise)
  },
})

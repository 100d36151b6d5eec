import { linearColour, hueSaturationMatrix } from '../picture/colour.ts'
import { catchDials, caughtBy, lightFeeds } from './catch-light.ts'
import { colour, number } from '../dials/dials.ts'
import { defineEffect, type OtherTime } from './effect.ts'

export default defineEffect({
  id: 'afterglow',
  title: 'Afterglow',
  family: 'light',
  kind: 'light',
  purpose: 'Keeps light of earlier frames for a while: sparks, lamps and whatever glows draw trails.',
  search:
    'trail trails echo persistence ghost lag sparks ember embers long exposure light painting streak decay linger phosphor',
  law: `Σ over k = 1 … frames of strength · ½^(k / half-life) · (1 − k / (frames + 1)) · mix(1, tint, (k − 1) / max(1, frames − 1)) · the light taken from the picture k frames earlier, with all that stands before this step. Light that is taken: Y is the luminance (or the brightest channel), y = min(Y, ceiling), k = knee · threshold. Excess e = 0 up to threshold − k, (y − threshold + k)² / 4k up to threshold + k, y − threshold beyond. What is taken is colour · e / Y. Frames before the first of the shot give nothing.`,
  belongs: {
    after: ['colour', 'depth'],
    before: ['motion', 'finish'],
    reason: 'Trails are light: they smear with what moves and go through the lens.',
  },
  feeds: lightFeeds,
  reach: () => 0,
  dials: {
    frames: number({
      default: 10,
      range: [1, 48],
      hard: [1, 200],
      step: 1,
      hint: 'How many earlier frames still glow. Each of them has to be made.',
    }),
    halfLife: number({
      default: 3,
      range: [0.25, 24],
      hard: [0.01, 1000],
      step: 0.05,
      taper: 'log',
      unit: 'frames',
      hint: 'After how many frames half of the light is left.',
    }),
    strength: number({
      default: 0.8,
      range: [0, 4],
      hard: [0, 1e6],
      step: 0.01,
      hint: 'How bright the trail begins.',
    }),
    tint: colour({
      default: [1, 0.55, 0.25],
      hint: 'What the oldest light is coloured with; the youngest has its own colour.',
    }),
    ...catchDials,
  },
  starts: [
    { name: 'Sparks', dials: { frames: 8, halfLife: 2, strength: 1, tint: [1, 0.35, 0.1] } },
    { name: 'Lamps in the dark', dials: { frames: 24, halfLife: 9, strength: 0.6, tint: [1, 0.8, 0.6] } },
  ],
  example: { threshold: 0.15, strength: 1.5 },
  overTime({ frames, halfLife, strength, tint }, { frame, firstFrame }) {
    const count = Math.round(frames)
    const times: OtherTime[] = []
    for (let k = 1; k <= count; k++) {
      if (frame - k < firstFrame) break
      const age = count === 1 ? 0 : (k - 1) / (count - 1)
      const much = strength * 0.5 ** (k / halfLife) * (1 - k / (count + 1))
      const [r, g, b] = tint.map((v) => much * (1 + (v - 1) * age)) as [number, number, number]
      times.push({ frame: frame - k, weights: [r, g, b, 0] })
    }
    return { times }
  },
  each({ out, picture, feeds, dials, kernels }) {
    kernels.brightPass(out, feeds.light ?? picture, caughtBy(dials))
  },
  // Where no planner adds frames up: the trail of something that stands still.
  apply({ out, picture, feeds, dials, frame, rate, kernels }) {
    kernels.brightPass(out, feeds.light ?? picture, caughtBy(dials))
    const sum = [0, 0, 0]
    for (const { weights } of this.overTime!(dials, { frame, rate, firstFrame: -Infinity, travel: () => 0 })
      ?.times ?? [])
      sum.forEach((v, c) => (sum[c] = v + weights[c]!))
    const { matrix } = linearColour(hueSaturationMatrix(kernels.space, 0, 1, 1), 0, [
      sum[0]!,
      sum[1]!,
      sum[2]!,
    ])
    kernels.colourMatrix(out, out, matrix, 0)
  },
})

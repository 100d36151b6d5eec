import { flag, number } from '../dials/dials.ts'
import { defineEffect } from './effect.ts'

export default defineEffect({
  id: 'clamp',
  title: 'Clamp',
  family: 'colour',
  kind: 'filter',
  purpose: 'Holds values between a lowest and a highest: takes away negative light and fireflies.',
  search: 'limit clip min max range negative firefly hold fireflies hot pixels nan highlights superwhites',
  law: `Straight colour is held between low and high (in either order), alpha in 0–1 where asked, and multiplied by alpha again. Light without cover (alpha at or below 2⁻²⁴) is held between min(low, 0) and high as it is.`,
  belongs: { after: [], before: ['light'], reason: 'What is held back must not be caught as light before.' },
  reach: () => 0,
  dials: {
    low: number({
      default: 0,
      range: [-1, 1],
      hard: [-1e6, 1e6],
      step: 0.01,
      hint: 'Nothing is darker than this.',
    }),
    high: number({
      default: 1,
      range: [0, 16],
      hard: [-1e6, 1e6],
      step: 0.01,
      hint: 'Nothing is brighter than this.',
    }),
    alpha: flag({ default: true, label: 'Alpha too', hint: 'On: alpha is held in 0–1.' }),
  },
  example: { high: 0.4 },
  apply({ out, picture, dials: { low, high, alpha }, kernels }) {
    kernels.hold(out, picture, Math.min(low, high), Math.max(low, high), alpha)
  },
})

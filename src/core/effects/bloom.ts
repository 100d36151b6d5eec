import { spreadLight } from '../kernels/pyramid.ts'
import { catchDials, caughtBy, lightFeed, tintBy, tintDials } from './catch-light.ts'
import { number } from './dials.ts'
import { defineEffect } from './effect.ts'

/** A round Gaussian holds 95 % of its light within this many standard deviations: √(−2 ln 0.05). */
const radius95 = 2.4477

export default defineEffect({
  id: 'bloom',
  title: 'Bloom',
  family: 'light',
  kind: 'light',
  purpose: 'Soft light around bright things, as in a lens, in haze or in water.',
  search: 'glow halo soft light around bright things gleam',
  belongs: {
    after: ['colour'],
    before: ['motion', 'finish'],
    reason: 'Light smears with what moves, so it comes before motion blur.',
  },
  feeds: {
    light: lightFeed,
  },
  dials: {
    ...catchDials,
    reach: number({
      default: 120,
      range: [2, 1000],
      hard: [0.1, 20000],
      unit: 'px',
      step: 1,
      taper: 'log',
      hint: 'Radius that holds 95 % of the widest glow. More fills the frame, less hugs the source.',
    }),
    tightness: number({
      default: 0.5,
      range: [0, 1],
      step: 0.01,
      label: 'Wide ↔ tight',
      hint: 'Less puts the light far out as a veil, more keeps it close as a gleam. The amount of light stays.',
    }),
    strength: number({
      default: 1,
      range: [0, 4],
      hard: [0, 1e6],
      step: 0.01,
      hint: 'How much of the light that passes is spread. There is no upper end.',
    }),
    ...tintDials,
  },
  support: () => 'frame',
  apply({ out, picture, feeds, dials, reduction, kernels, store }) {
    spreadLight(out, feeds.light ?? picture, {
      widest: dials.reach / radius95,
      tight: (dials.tightness - 0.5) * 4,
      gain: dials.strength,
      reduction,
      caught: caughtBy(dials),
      colour: tintBy(dials),
      workshop: { kernels, store },
    })
  },
})

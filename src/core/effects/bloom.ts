import { spreadLight, spreadProfile } from '../kernels/pyramid.ts'
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
  profile: ({ reach, tightness }) => spreadProfile(reach / radius95, (tightness - 0.5) * 4),
  starts: [
    { name: 'Thin haze', dials: { threshold: 0.6, reach: 400, tightness: 0.2, strength: 0.5 } },
    { name: 'Close gleam', dials: { threshold: 1, reach: 40, tightness: 0.8, strength: 1 } },
    { name: 'Neon', dials: { threshold: 0.3, measure: 'channel', reach: 120, saturation: 1.5, strength: 1.6 } },
    { name: 'Full of light', dials: { threshold: 0, reach: 900, tightness: 0.3, strength: 0.8 } },
  ], // prettier-ignore
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

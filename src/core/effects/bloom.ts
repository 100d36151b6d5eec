import { spreadLight } from '../kernels/pyramid.ts'
import { hueSaturationMatrix, linearColour } from '../picture/colour.ts'
import { colour, number } from './dials.ts'
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
    light: {
      kind: 'light',
      required: false,
      hint: 'Where the light comes from: an emission pass makes only what gives light glow. Without it, the step’s own picture.',
    },
  },
  dials: {
    threshold: number({
      default: 1,
      range: [0, 4],
      hard: [0, 1e6],
      step: 0.01,
      hint: 'Luminance from which light spreads. Less takes in more of the picture; 0 takes in all of it.',
      chart: { knee: 'knee' },
    }),
    knee: number({
      default: 0.5,
      range: [0, 1],
      step: 0.01,
      hint: 'How softly light sets in around the threshold: 0 is a hard edge, 1 begins at no light.',
    }),
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
    tint: colour({ default: [1, 1, 1], hint: 'Colours the light; white keeps the colour of its source.' }),
    saturation: number({
      default: 1,
      range: [0, 2],
      hard: [0, 100],
      step: 0.01,
      hint: 'Vividness of the light: 0 is white light, above 1 deepens its colour.',
    }),
    ceiling: number({
      default: 1000,
      range: [1, 1000],
      hard: [0, 1e9],
      step: 1,
      taper: 'log',
      hint: 'Luminance that counts at most. Less keeps single over-bright pixels from flashing.',
    }),
  },
  support: () => 'frame',
  apply({ out, picture, feeds, dials, reduction, kernels, store }) {
    const { threshold, knee, ceiling, tint, saturation, strength } = dials
    const isPlain = saturation === 1 && tint.every((v) => v === 1)
    spreadLight(out, feeds.light ?? picture, {
      widest: dials.reach / radius95,
      tight: (dials.tightness - 0.5) * 4,
      gain: strength,
      reduction,
      caught: { threshold, knee: knee * threshold, ceiling },
      colour: isPlain ? undefined : linearColour(hueSaturationMatrix(0, saturation, 1), 0, tint),
      workshop: { kernels, store },
    })
  },
})

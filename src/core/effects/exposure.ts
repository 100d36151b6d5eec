import { number } from '../dials/dials.ts'
import { scaling } from '../picture/colour.ts'
import { defineEffect } from './effect.ts'

export default defineEffect({
  id: 'exposure',
  title: 'Exposure',
  family: 'colour',
  kind: 'filter',
  purpose: 'Makes the picture brighter or darker in stops, as a camera would.',
  search: 'brightness brighter darker gain light level darken lighten stops stop ev luminosity dim',
  law: `RGB′ = 2^stops · RGB; alpha stays.`,
  belongs: { after: [], before: ['light'], reason: 'Light taken from a picture follows its exposure.' },
  reach: () => 0,
  dials: {
    stops: number({
      default: 0,
      range: [-5, 5],
      hard: [-30, 30],
      unit: 'stops',
      step: 0.1,
      hint: 'One more doubles the light, one less halves it. Cover stays.',
    }),
  },
  example: { stops: 1.5 },
  linear: ({ stops }) => scaling(2 ** stops, 1),
  apply({ out, picture, dials, kernels }) {
    const gain = 2 ** dials.stops
    kernels.gains(out, picture, gain, gain, gain, 1)
  },
})

import type { WorkingSpace } from '../colour/working.ts'
import { hueSaturationMatrix, linearColour, type LinearColour } from '../picture/colour.ts'
import { number } from '../dials/dials.ts'
import { defineEffect } from './effect.ts'

const gain = (name: string) =>
  number({
    default: 1,
    range: [0, 2],
    hard: [0, 1e4],
    step: 0.01,
    hint: `More than 1 gives more ${name}, less takes it away.`,
  })

type Dials = Record<'red' | 'green' | 'blue' | 'alpha' | 'hue' | 'saturation' | 'value', number>

/** All of its dials as one matrix. */
function matrixOf(
  { red, green, blue, alpha, hue, saturation, value }: Dials,
  space: WorkingSpace,
): LinearColour {
  return linearColour(hueSaturationMatrix(space, hue, saturation, value), alpha, [red, green, blue])
}

export default defineEffect({
  id: 'channel-gains',
  title: 'Channel gains',
  family: 'colour',
  kind: 'filter',
  purpose: 'Shifts colour by gains on red, green, blue and alpha, and by hue, saturation and value.',
  search:
    'warm cool tint balance saturation hue colour warmer cooler hotter white temperature red green blue yellow shift hsv',
  law: `RGB′ = diag(red, green, blue) · M · RGB on premultiplied light, which is the same as on straight colour; alpha alone is multiplied by the alpha gain. M = value · (Y + saturation · (H − Y)): H turns hue as a rotation about the grey axis (Rodrigues, about (1, 1, 1); hue in degrees), and Y puts the luminance (by the working space) of the turned colour into all three channels. Values below 0 and above 1 stay.`,
  belongs: { after: [], before: ['light'], reason: 'Light taken from a picture follows its colour.' },
  reach: () => 0,
  dials: {
    red: gain('red'),
    green: gain('green'),
    blue: gain('blue'),
    alpha: number({
      default: 1,
      range: [0, 1],
      step: 0.01,
      hint: 'Less makes the lane see-through; its light stays.',
    }),
    hue: number({
      default: 0,
      range: [-180, 180],
      hard: [-3600, 3600],
      unit: '°',
      step: 1,
      hint: 'Turns all hues together; greys stay grey.',
    }),
    saturation: number({
      default: 1,
      range: [0, 2],
      hard: [0, 100],
      step: 0.01,
      hint: '0 is grey of the same luminance; above 1 is more vivid.',
    }),
    value: number({
      default: 1,
      range: [0, 2],
      hard: [0, 1e4],
      step: 0.01,
      hint: 'Brightness of all colours together.',
    }),
  },
  example: { red: 1.5, green: 0.9, blue: 0.6 },
  linear: matrixOf,
  apply({ out, picture, dials, kernels }) {
    const { matrix, alpha } = matrixOf(dials, kernels.space)
    kernels.colourMatrix(out, picture, matrix, alpha)
  },
})

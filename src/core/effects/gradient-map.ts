import type { WorkingSpace } from '../colour/working.ts'
import { gradientThrough, type GradientStop } from '../picture/tone-curve.ts'
import { stopsFromGrey } from '../picture/colour.ts'
import { flag, gradient, number } from '../dials/dials.ts'
import { defineEffect } from './effect.ts'
import { preparedTable, toneTableOf } from './tone-table.ts'

interface Mapping {
  readonly gradient: readonly GradientStop[]
  readonly dark: number
  readonly bright: number
  readonly keep: boolean
}

function tableOf(
  { gradient: stops, dark, bright, keep }: Mapping,
  { luminance }: WorkingSpace,
): Float32Array {
  const colourAt = gradientThrough(stops)
  const span = Math.max(1e-3, bright - dark)
  return toneTableOf((y) => {
    const [r, g, b] = colourAt((stopsFromGrey(y) - dark) / span)
    const own = luminance(r, g, b)
    const gain = keep ? (own > 0 ? y / own : 0) : 1
    return [r * gain, g * gain, b * gain, 0]
  })
}

export default defineEffect({
  id: 'gradient-map',
  title: 'Gradient map',
  family: 'colour',
  kind: 'filter',
  purpose: 'Gives dark and bright parts colours of their own, along a gradient.',
  search:
    'duotone tritone false colours heat map luminance to colour greyscale colourise remap ramp tones palette',
  law: `Straight luminance Y in stops from grey, log₂(Y / 0.18), goes from dark to bright along the gradient (dark and bright are its ends; beyond, the end colours). Keep light scales the colour found to luminance Y. Alpha stays; the result is multiplied by it.`,
  belongs: { after: [], before: ['light'], reason: 'Light taken from a picture follows its colour.' },
  reach: () => 0,
  dials: {
    gradient: gradient({
      default: [
        [0, 0, 0, 0],
        [0.55, 0.1, 0.17, 0.26],
        [1, 1, 0.93, 0.8],
      ],
      hint: 'From the darkest (left) to the brightest (right).',
    }),
    dark: number({
      default: -6,
      range: [-12, 0],
      hard: [-30, 30],
      step: 0.1,
      unit: 'stops',
      hint: 'Brightness of its left end, from 18 % grey.',
    }),
    bright: number({
      default: 2.5,
      range: [0, 8],
      hard: [-30, 30],
      step: 0.1,
      unit: 'stops',
      hint: 'Brightness of its right end, from 18 % grey. 2.5 is 1.0.',
    }),
    keep: flag({
      default: false,
      label: 'Keep light',
      hint: 'On: only hue and saturation come from the gradient.',
    }),
  },
  example: {},
  prepare: (d) => ({
    key: JSON.stringify([d.gradient, d.dark, d.bright, d.keep]),
    make: preparedTable((space) => tableOf(d, space)),
  }),
  apply({ out, picture, dials, prepared, kernels }) {
    kernels.toneTable(out, picture, prepared?.data ?? tableOf(dials, kernels.space), 'colours')
  },
})

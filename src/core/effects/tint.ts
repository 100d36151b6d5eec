import type { WorkingSpace } from '../colour/working.ts'
import { hueSaturationMatrix, linearColour, type LinearColour } from '../picture/colour.ts'
import type { Rgb } from '../picture/picture.ts'
import { colour, flag, number } from '../dials/dials.ts'
import { defineEffect } from './effect.ts'

/** White becomes the colour; with its brightness kept, grey keeps its luminance. */
function matrixOf(
  { colour: [r, g, b], wash, keep }: { readonly colour: Rgb; readonly wash: number; readonly keep: boolean },
  space: WorkingSpace,
): LinearColour {
  const y = space.luminance(r, g, b)
  const gain = keep && y > 0 ? 1 / y : 1
  return linearColour(hueSaturationMatrix(space, 0, 1 - wash, 1), 1, [r * gain, g * gain, b * gain])
}

export default defineEffect({
  id: 'tint',
  title: 'Tint',
  family: 'colour',
  kind: 'filter',
  purpose: 'Colours a picture as light of that colour would, or washes it in one colour.',
  search: 'colour warm cool filter gel sepia wash colourise overlay colourize mood warmer cooler',
  law: `RGB′ = gain · colour · (wash · Y + (1 − wash) · RGB), Y the luminance; keep light divides colour by its own luminance, so that grey keeps its light. Alpha stays.`,
  belongs: { after: [], before: ['light'], reason: 'Light taken from a picture follows its colour.' },
  reach: () => 0,
  dials: {
    colour: colour({ default: [1, 0.8, 0.55], hint: 'What white becomes.' }),
    wash: number({
      default: 0,
      range: [0, 1],
      step: 0.01,
      hint: '0 keeps the picture’s own colours under the light; 1 leaves only that of the tint.',
    }),
    keep: flag({
      default: true,
      label: 'Keep light',
      hint: 'On: greys stay as bright as they are. Off: a dark tint darkens.',
    }),
  },
  example: { wash: 0.4 },
  linear: matrixOf,
  apply({ out, picture, dials, kernels }) {
    const { matrix, alpha } = matrixOf(dials, kernels.space)
    kernels.colourMatrix(out, picture, matrix, alpha)
  },
})

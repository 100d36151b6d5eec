import type { WorkingSpace } from '../colour/working.ts'
import { hueSaturationMatrix, linearColour, type LinearColour } from '../picture/colour.ts'
import { number } from '../dials/dials.ts'
import { defineEffect } from './effect.ts'

const matrixOf = ({ saturation }: { readonly saturation: number }, space: WorkingSpace): LinearColour =>
  linearColour(hueSaturationMatrix(space, 0, saturation, 1), 1)

export default defineEffect({
  id: 'saturation',
  title: 'Saturation',
  family: 'colour',
  kind: 'filter',
  purpose: 'Makes colours more or less vivid; their luminance stays.',
  search:
    'vivid grey desaturate chroma colourful vibrance black and white greyscale gray monochrome washed dull desaturated colours intensity',
  belongs: { after: [], before: ['light'], reason: 'Light taken from a picture follows its colour.' },
  reach: () => 0,
  dials: {
    saturation: number({
      default: 1,
      range: [0, 2],
      hard: [0, 100],
      step: 0.01,
      hint: '0 is grey of the same luminance; above 1 is more vivid.',
    }),
  },
  example: { saturation: 1.8 },
  linear: matrixOf,
  apply({ out, picture, dials, kernels }) {
    const { matrix, alpha } = matrixOf(dials, kernels.space)
    kernels.colourMatrix(out, picture, matrix, alpha)
  },
})

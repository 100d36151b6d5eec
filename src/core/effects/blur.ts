import { gaussianBlur } from '../kernels/pyramid.ts'
import { number } from '../dials/dials.ts'
import { defineEffect } from './effect.ts'

export default defineEffect({
  id: 'blur',
  title: 'Blur',
  family: 'shade',
  kind: 'filter',
  purpose: 'Softens the picture evenly by a Gaussian.',
  search: 'gaussian soften soft defocus smooth out-of-focus directional zoom spin motion streak wipe softer',
  law: `A Gaussian of standard deviation σ = radius px on premultiplied colour and alpha, cut off at 3.5 σ; beyond the frame the pixels of its edge repeat. Wide ones are made on halved pictures: within 0.003 of the peak of the true response.`,
  belongs: { after: ['colour'], before: ['light', 'finish'], reason: 'What is soft should be lit as it is.' },
  dials: {
    radius: number({
      default: 8,
      range: [0, 200],
      hard: [0, 4000],
      unit: 'px',
      step: 0.5,
      taper: 'log',
      hint: 'Standard deviation of the Gaussian: more is softer; 0 leaves the picture as it is.',
    }),
  },
  example: { radius: 7 },
  apply({ out, picture, dials, kernels, store }) {
    gaussianBlur(out, picture, dials.radius, { kernels, store })
  },
})

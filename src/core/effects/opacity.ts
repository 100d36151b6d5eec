import { number } from '../dials/dials.ts'
import { scaling } from '../picture/colour.ts'
import { defineEffect } from './effect.ts'

export default defineEffect({
  id: 'opacity',
  title: 'Opacity',
  family: 'shade',
  kind: 'filter',
  purpose:
    'Makes the picture see-through; on a bus all that is in it together, so that parts do not show through each other.',
  search: 'transparent fade alpha glass ghost see-through transparency see through invisible in out dissolve',
  law: `Colour and alpha, both premultiplied, times opacity.`,
  belongs: { after: ['light', 'shade'], before: ['finish'], reason: 'The finished part fades as one.' },
  reach: () => 0,
  dials: {
    opacity: number({
      default: 0.5,
      range: [0, 1],
      step: 0.01,
      hint: '1 is as it was, 0 is gone. Light fades with its cover.',
    }),
  },
  linear: ({ opacity }) => scaling(opacity, opacity),
  apply({ out, picture, dials: { opacity }, kernels }) {
    kernels.gains(out, picture, opacity, opacity, opacity, opacity)
  },
})

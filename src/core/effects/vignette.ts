import { choice, colour, number, point } from '../dials/dials.ts'
import { defineEffect } from './effect.ts'

export default defineEffect({
  id: 'vignette',
  title: 'Vignette',
  family: 'finish',
  kind: 'filter',
  purpose: 'Darkens the picture towards its edge: by the law of a lens, or freely.',
  search:
    'darken edges corners border falloff lens corner dark frame focus attention oval circle spotlight edge burn light fall-off',
  law: `k · picture + (1 − k) · alpha · colour; alpha stays. By the lens k = cos⁴ θ, tan θ = r / f, r the distance from the centre and f = (W / 2) / tan(field / 2), W the width of the frame. Freely k goes from 1 to 0 as 1 − 3t² + 2t³ over d = 1 − softness to 1 + softness, d the distance from the centre in radii of an oval; at a size of 100 % it runs through the corners of the frame: its radii are size · W / √2 and size · H / √2, and with all roundness half the diagonal both.`,
  belongs: {
    after: ['light', 'depth', 'motion', 'shade', 'colour', 'matte'],
    before: [],
    reason: 'The lens darkens what has come through it, light and mist too.',
    isFirm: true,
  },
  reach: () => 0,
  dials: {
    by: choice({
      default: 'lens',
      options: { lens: 'The lens', free: 'Freely' },
      hint: 'The lens: the fourth power of the cosine, from its field of view. Freely: an oval of any size and softness.',
    }),
    field: number({
      default: 55,
      range: [5, 120],
      hard: [0.1, 175],
      unit: '°',
      step: 0.5,
      label: 'Field of view',
      when: { dial: 'by', is: 'lens' },
      hint: 'How wide the lens sees across the frame: wide lenses darken more.',
    }),
    size: number({
      default: 85,
      range: [10, 200],
      hard: [1, 2000],
      unit: '%',
      step: 1,
      when: { dial: 'by', is: 'free' },
      hint: 'How large the oval is: at 100 it runs through the corners.',
    }),
    roundness: number({
      default: 0.3,
      range: [0, 1],
      step: 0.01,
      when: { dial: 'by', is: 'free' },
      hint: '0 has the shape of the frame, 1 is a circle.',
    }),
    softness: number({
      default: 0.5,
      range: [0, 1],
      hard: [0, 8],
      step: 0.01,
      when: { dial: 'by', is: 'free' },
      hint: 'How softly it sets in: 0 is a hard edge.',
    }),
    centre: point({ default: [0.5, 0.5], hint: 'What stays as it is.' }),
    colour: colour({ default: [0, 0, 0], hint: 'What the edge becomes.' }),
  },
  starts: [
    { name: 'Normal lens', dials: { by: 'lens', field: 45 } },
    { name: 'Wide lens', dials: { by: 'lens', field: 84 } },
    { name: 'Soft oval', dials: { by: 'free', size: 90, softness: 0.6 } },
    { name: 'Porthole', dials: { by: 'free', size: 52, roundness: 1, softness: 0.04 } },
  ],
  example: { field: 95 },
  apply({ out, picture, dials, frameSize: [width, height] = [picture.width, picture.height], kernels }) {
    const { centre } = dials
    if (dials.by === 'lens') {
      const focal = width / 2 / Math.tan((dials.field * Math.PI) / 360)
      kernels.vignette(out, picture, { by: 'angle', centre, focal }, dials.colour)
      return
    }
    const round = Math.hypot(width, height) / 2
    const radius = (side: number) =>
      (dials.size / 100) * ((1 - dials.roundness) * (side / Math.SQRT2) + dials.roundness * round)
    const radii = [radius(width), radius(height)] as const
    kernels.vignette(out, picture, { by: 'oval', centre, radii, softness: dials.softness }, dials.colour)
  },
})

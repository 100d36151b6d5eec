import { leastCover } from '../picture/colour.ts'
import type { LinearColour } from '../picture/colour.ts'
import { choice } from '../dials/dials.ts'
import { defineEffect } from './effect.ts'

const opposite: LinearColour = { matrix: [-1, 0, 0, 1, 0, -1, 0, 1, 0, 0, -1, 1], alpha: 1 }

export default defineEffect({
  id: 'invert',
  title: 'Invert',
  family: 'matte',
  kind: 'filter',
  purpose: 'Turns colour or cover into its opposite: what was white is black, what was covered is open.',
  search: 'negative reverse opposite flip mask complement',
  law: `Colour: α − c on premultiplied light, which is 1 − c of straight colour. Alpha: 1 − α with white of that cover. Both: (1 − straight colour) · (1 − α), and 1 − α; straight colour is 0 where alpha is at or below 2⁻²⁴.`,
  belongs: { after: [], before: ['light', 'finish'], reason: 'It changes what later steps see.' },
  reach: () => 0,
  dials: {
    what: choice({
      default: 'colour',
      options: { colour: 'Colour', alpha: 'Alpha', both: 'Both' },
      hint: 'Colour is inverted inside its cover. An inverted alpha is white where the picture was not.',
    }),
  },
  // Premultiplied: 1 − c of straight colour is α − c.
  linear: ({ what }) => (what === 'colour' ? opposite : undefined),
  apply({ out, picture, dials: { what }, kernels }) {
    if (what === 'colour') {
      kernels.colourMatrix(out, picture, opposite.matrix, opposite.alpha)
      return
    }
    for (let i = 0; i < out.data.length; i += 4) {
      const alpha = picture.data[i + 3]!
      const open = 1 - alpha
      for (let c = 0; c < 3; c++) {
        // Where there was no cover the inverted alpha shows white; both: the opposite colour.
        const straight = alpha > leastCover ? picture.data[i + c]! / alpha : 0
        out.data[i + c] = what === 'alpha' ? open : (1 - straight) * open
      }
      out.data[i + 3] = open
    }
  },
})

import { toneEntries, toneEntry } from '../kernels/kernels.ts'
import { gradientThrough } from '../picture/tone-curve.ts'
import { stopsFromGrey } from '../picture/colour.ts'
import { flag, gradient, number } from './dials.ts'
import { defineEffect } from './effect.ts'

export default defineEffect({
  id: 'gradient-map',
  title: 'Gradient map',
  family: 'colour',
  kind: 'filter',
  purpose: 'Gives dark and bright parts colours of their own, along a gradient.',
  search: 'duotone tritone false colours heat map luminance to colour',
  belongs: { after: [], before: ['light'], reason: 'Light taken from a picture follows its colour.' },
  dials: {
    gradient: gradient({
      default: [[0, 0, 0, 0], [0.55, 0.1, 0.17, 0.26], [1, 1, 0.93, 0.8]],
      hint: 'From the darkest (left) to the brightest (right).',
    }),
    dark: number({ default: -6, range: [-12, 0], hard: [-30, 30], step: 0.1, unit: 'stops', hint: 'Brightness of its left end, from 18 % grey.' }),
    bright: number({ default: 2.5, range: [0, 8], hard: [-30, 30], step: 0.1, unit: 'stops', hint: 'Brightness of its right end, from 18 % grey. 2.5 is 1.0.' }),
    keep: flag({ default: false, label: 'Keep light', hint: 'On: only hue and saturation come from the gradient.' }),
  },
  support: () => 0,
  example: {},
  apply({ out, picture, dials: { gradient: stops, dark, bright, keep }, kernels }) {
    const colourAt = gradientThrough(stops)
    const table = new Float32Array(toneEntries * 4)
    const span = Math.max(1e-3, bright - dark)
    for (let i = 0; i < toneEntries; i++) {
      const y = toneEntry(i)
      const [r, g, b] = colourAt((stopsFromGrey(y) - dark) / span)
      const own = 0.2126 * r + 0.7152 * g + 0.0722 * b
      const gain = keep ? (own > 0 ? y / own : 0) : 1
      table.set([r * gain, g * gain, b * gain, 0], i * 4)
    }
    kernels.toneTable(out, picture, table, 'colours')
  },
}) // prettier-ignore

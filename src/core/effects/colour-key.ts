import { linearToOklab } from '../picture/oklab.ts'
import { choice, number, picks } from '../dials/dials.ts'
import { defineEffect } from './effect.ts'
import { levelDials } from './level-dials.ts'

export default defineEffect({
  id: 'colour-key',
  title: 'Colour key',
  family: 'matte',
  kind: 'filter',
  purpose: 'A matte of colours picked on the picture, or the picture without them.',
  search:
    'chroma key hue screen paper remove background spill pick mask green blue keying select colour despill',
  law: `Distance in OKLab of straight colour, lightness weighed by its dial: 1 within \`reach\`, down to 0 over \`softness\` beyond; times what is far from colours that are not meant, times alpha.`,
  belongs: { after: [], before: ['light', 'shade', 'finish'], reason: 'A matte says where later steps act.' },
  reach: () => 0,
  dials: {
    picked: picks({
      default: [],
      hint: 'Colours that are meant, and colours that are not: pick them on the picture, as many as it takes.',
    }),
    reach: number({
      default: 0.08,
      range: [0, 0.4],
      hard: [0, 10],
      step: 0.005,
      hint: 'How unlike a picked colour may be and still be whole.',
    }),
    softness: number({
      default: 0.08,
      range: [0, 0.4],
      hard: [0, 10],
      step: 0.005,
      hint: 'How much further it fades out.',
    }),
    lightness: number({
      default: 0.5,
      range: [0, 1],
      hard: [0, 10],
      step: 0.01,
      label: 'By lightness',
      hint: 'How much brightness counts beside hue and saturation: 0 takes light and dark of a colour alike.',
    }),
    give: choice({
      default: 'matte',
      options: { matte: 'The matte', without: 'Picture without it' },
      hint: 'The matte of the colours, or the picture with them taken out of it.',
    }),
    spill: number({
      default: 1,
      range: [0, 1],
      step: 0.01,
      label: 'Spill out',
      when: { dial: 'give', is: 'without' },
      hint: 'How much of the colour is taken out of half covered edges, so that they bring no fringe along.',
    }),
    ...levelDials,
  },
  example: { picked: [[0.03, 0.12, 0.7, 1]], reach: 0.09, softness: 0.06, lightness: 0.6 },
  apply({ out, picture, dials, kernels, store }) {
    const { picked, reach, softness, lightness, give, spill } = dials
    const key = store.allocate(picture.width, picture.height, 1)
    const colours = picked.map(([r, g, b, sign]) => ({
      lab: linearToOklab(kernels.space, r, g, b),
      isWanted: sign > 0,
    }))
    kernels.keyColour(key, picture, colours, { reach, soft: softness, lightness })
    if (give === 'matte') kernels.levelMatte(out, key, dials)
    else {
      kernels.levelMatte(key, key, dials)
      const wanted = picked.filter(([, , , sign]) => sign > 0)
      const mean = (c: 0 | 1 | 2) => wanted.reduce((sum, one) => sum + one[c], 0) / Math.max(1, wanted.length)
      kernels.takeColour(out, picture, key, [mean(0), mean(1), mean(2)], spill)
    }
    store.release(key)
  },
})

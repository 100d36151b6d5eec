import { number } from '../dials/dials.ts'
import { defineEffect } from './effect.ts'
import { levelDials } from './level-dials.ts'

const end = (what: string, from: number) =>
  number({
    default: from,
    range: [0, 4],
    hard: [-1e6, 1e6],
    step: 0.01,
    hint: what,
    pick: { of: 'luminance' },
  })

export default defineEffect({
  id: 'luminance-key',
  title: 'Luminance key',
  family: 'matte',
  kind: 'filter',
  purpose: 'A matte of what is as bright as you say, with an edge of its own on either side.',
  search: 'luma key matte bright dark highlights shadows pick mask brightness parts select',
  law: `Y of straight colour (of the light itself where alpha is at or below 2⁻²⁴): v = rise(Y − low, softLow) · rise(high − Y, softHigh) · min(1, α), rise(x, s) = 1 for x ≥ 0, else max(0, 1 + x / s) (0 for s = 0). Then the levels: v = clamp((v − black) / (white − black), 0, 1)^(1 / gamma), inverted 1 − v. The matte is white with that cover.`,
  belongs: { after: [], before: ['light', 'shade', 'finish'], reason: 'A matte says where later steps act.' },
  reach: () => 0,
  dials: {
    low: end('Brightness from which it is whole.', 0.5),
    high: end('Brightness up to which it is whole.', 4),
    softLow: number({
      default: 0.2,
      range: [0, 2],
      hard: [0, 1e6],
      step: 0.01,
      label: 'Below, soft',
      hint: 'How far below the low mark it fades out.',
    }),
    softHigh: number({
      default: 0,
      range: [0, 2],
      hard: [0, 1e6],
      step: 0.01,
      label: 'Above, soft',
      hint: 'How far above the high mark it fades out.',
    }),
    ...levelDials,
  },
  example: { low: 0.3, softLow: 0.2 },
  starts: [
    { name: 'Highlights', dials: { low: 1, softLow: 0.5, high: 1e6 } },
    { name: 'Middle tones', dials: { low: 0.1, softLow: 0.05, high: 0.4, softHigh: 0.2 } },
    { name: 'Shadows', dials: { low: -1, softLow: 0, high: 0.02, softHigh: 0.06 } },
  ],
  apply({ out, picture, dials, kernels, store }) {
    const { low, high, softLow, softHigh } = dials
    const matte = store.allocate(picture.width, picture.height, 1)
    // Of the colour itself: half covered edges are as bright as what covers them.
    kernels.straightLuminance(matte, picture)
    kernels.betweenMarks(matte, matte, { from: low, to: high, softFrom: softLow, softTo: softHigh })
    kernels.underCover(matte, picture)
    kernels.levelMatte(out, matte, dials)
    store.release(matte)
  },
})

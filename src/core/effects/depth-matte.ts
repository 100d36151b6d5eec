import { number } from '../dials/dials.ts'
import { defineEffect } from './effect.ts'
import { levelDials } from './level-dials.ts'

const distance = (hint: string, from: number) =>
  number({
    default: from,
    range: [0, 50],
    hard: [-1e9, 1e9],
    step: 0.1,
    unit: 'units',
    hint,
    pick: { of: 'depth' },
  })

/** 1 between the marks, fading outside them. */
function between({
  near,
  far,
  softness,
}: {
  readonly near: number
  readonly far: number
  readonly softness: number
}): (distance: number) => number {
  const rising = (v: number) => (v >= 0 ? 1 : softness > 0 ? Math.max(0, 1 + v / softness) : 0)
  return (distance) => rising(distance - near) * rising(far - distance)
}

export default defineEffect({
  id: 'depth-matte',
  title: 'Depth matte',
  family: 'matte',
  kind: 'filter',
  purpose: 'A matte by distance: from the near mark on, or between near and far.',
  search: 'z depth distance near far matte slice mask z-depth range',
  law: `v = rise(d − near) · rise(far − d) with rise(x) = 1 for x ≥ 0, else max(0, 1 + x / softness) (0 for softness 0); d is the distance as the pass is read, and what hit nothing is infinitely far. Then the levels: v = clamp((v − black) / (white − black), 0, 1)^(1 / gamma), inverted 1 − v. The matte is white with that cover.`,
  belongs: { after: [], before: ['light', 'shade', 'finish'], reason: 'A matte says where later steps act.' },
  feeds: { depth: { kind: 'depth', required: true, hint: 'The depth pass, in units of the scene.' } },
  reach: () => 0,
  dials: {
    near: distance('Distance where it begins.', 5),
    far: distance('Distance where it ends; what lies beyond is outside.', 1e6),
    softness: number({
      default: 1,
      range: [0, 20],
      hard: [0, 1e9],
      step: 0.1,
      unit: 'units',
      hint: 'How far it fades before the near and after the far mark.',
    }),
    ...levelDials,
  },
  example: { near: 9, softness: 3 },
  span: { feed: 'depth', marks: () => ['near', 'far'], weight: between },
  apply({ out, feeds: { depth }, dials, kernels, store }) {
    const { near, far, softness } = dials
    const matte = store.allocate(out.width, out.height, 1)
    if (depth)
      kernels.betweenMarks(matte, depth, { from: near, to: far, softFrom: softness, softTo: softness })
    else matte.data.fill(0)
    kernels.levelMatte(out, matte, dials)
    store.release(matte)
  },
})

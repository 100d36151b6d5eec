import { gaussianBlur } from '../kernels/pyramid.ts'
import { choice, number } from '../dials/dials.ts'
import { defineEffect } from './effect.ts'
import { withCover } from './new-cover.ts'

export default defineEffect({
  id: 'soften',
  title: 'Soften edge',
  family: 'matte',
  kind: 'filter',
  purpose: 'Makes the edge of a shape soft: on both sides, only inwards or only outwards.',
  search: 'feather blur matte edge inner outer smooth edges mask blurry smoother',
  law: `Of the own alpha a, held in 0–1, with g its Gaussian of σ = softness / 2 px (edges of the frame repeat): both sides g, inwards min(a, 2g − 1), outwards max(a, 2g), held in 0–1. Softness is so 2 σ. Colour follows its new cover as in Combine mattes.`,
  belongs: {
    after: [],
    before: ['light', 'shade', 'finish'],
    reason: 'The shape is settled before something acts by it.',
  },
  reach: ({ softness }) => 2 * softness + 2,
  dials: {
    softness: number({
      default: 12,
      range: [0, 200],
      hard: [0, 4000],
      unit: 'px',
      step: 0.5,
      hint: 'How far the edge runs out.',
    }),
    side: choice({
      default: 'both',
      options: { both: 'Both sides', inside: 'Inwards only', outside: 'Outwards only' },
      hint: 'Inwards only never covers more than before, outwards only never less.',
    }),
  },
  isOnCover: true,
  example: { softness: 20 },
  apply({ out, picture, dials: { softness, side }, kernels, store }) {
    const { width, height } = picture
    const [flat, cover] = [store.allocate(width, height, 4), store.allocate(width, height, 1)]
    kernels.matteOf(cover, picture, 'alpha', false)
    kernels.fill(flat, 1, 1, 1, 1)
    kernels.weigh(flat, flat, cover, 0, 1)
    gaussianBlur(flat, flat, softness / 2, { kernels, store })
    for (let i = 0; i < cover.data.length; i++) {
      const [was, soft] = [cover.data[i]!, flat.data[i * 4 + 3]!]
      const next =
        side === 'both' ? soft : side === 'inside' ? Math.min(was, 2 * soft - 1) : Math.max(was, 2 * soft)
      cover.data[i] = next < 0 ? 0 : next > 1 ? 1 : next
    }
    withCover(out, picture, cover, kernels)
    for (const taken of [flat, cover]) store.release(taken)
  },
})

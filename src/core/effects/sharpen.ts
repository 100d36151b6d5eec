import { number } from '../dials/dials.ts'
import { gaussianBlur } from '../kernels/pyramid.ts'
import { defineEffect } from './effect.ts'

export default defineEffect({
  id: 'sharpen',
  title: 'Sharpen',
  family: 'finish',
  kind: 'filter',
  purpose: 'Brings out edges and detail by what a soft copy lacks.',
  search: 'unsharp mask crisp detail clarity edges acutance crisper clearer sharper local contrast',
  law: `p + amount · sign(d) · max(0, |d| − threshold), d = p − the picture blurred by a Gaussian of σ = radius px (edges repeat), for each of red, green and blue as premultiplied; never below 0 where p is not, and never below p where p is. Alpha stays. A radius or amount of 0 leaves the picture as it is.`,
  belongs: {
    after: ['colour', 'shade', 'depth', 'matte'],
    before: ['light'],
    reason: 'What is sharpened after light is added gets halos around its light.',
  },
  reach: ({ radius }) => 4 * radius + 2,
  dials: {
    radius: number({
      default: 1.2,
      range: [0.3, 30],
      hard: [0, 1000],
      unit: 'px',
      step: 0.1,
      taper: 'log',
      hint: 'How fine the detail is: small crisps edges, large lifts whole parts.',
    }),
    amount: number({
      default: 0.6,
      range: [0, 3],
      hard: [0, 100],
      step: 0.01,
      hint: 'How much is brought out.',
    }),
    threshold: number({
      default: 0,
      range: [0, 0.2],
      hard: [0, 1000],
      step: 0.001,
      hint: 'Differences below this are left alone: more spares noise and skin.',
    }),
  },
  starts: [
    { name: 'After scaling', dials: { radius: 0.7, amount: 0.5 } },
    { name: 'Lift detail', dials: { radius: 14, amount: 0.35 } },
  ],
  example: { radius: 1.5, amount: 1.2 },
  apply({ out, picture, dials: { radius, amount, threshold }, kernels, store }) {
    if (amount === 0 || radius < 0.05) {
      out.data.set(picture.data)
      return
    }
    const soft = store.allocate(out.width, out.height, 4)
    gaussianBlur(soft, picture, radius, { kernels, store })
    kernels.sharpen(out, picture, soft, amount, threshold)
    store.release(soft)
  },
})

import { choice } from '../dials/dials.ts'
import { defineEffect } from './effect.ts'
import { withCover } from './new-cover.ts'

export default defineEffect({
  id: 'combine',
  title: 'Combine mattes',
  family: 'matte',
  kind: 'filter',
  purpose:
    'Joins the picture’s own cover with another matte: both, only where both are, or the first without the second.',
  search: 'union intersect subtract add cut boolean matte garbage holdout masks merge minus plus join out',
  law: `With a the own alpha and b the fed matte, both held in 0–1: union max(a, b), intersect a · b, subtract a · (1 − b). Colour follows its new cover: straight colour stays where alpha was above 1/512, elsewhere it is the mean straight colour of the picture (white where there is none).`,
  belongs: {
    after: [],
    before: ['light', 'shade', 'finish'],
    reason: 'A matte is settled before something acts by it.',
  },
  feeds: {
    with: { kind: 'matte', required: true, hint: 'The matte that its cover is joined with.' },
  },
  reach: () => 0,
  dials: {
    by: choice({
      default: 'union',
      options: {
        union: 'Either (union)',
        intersect: 'Where both are (intersect)',
        subtract: 'Without it (subtract)',
      },
      hint: 'How the two meet.',
    }),
  },
  isOnCover: true,
  example: { by: 'subtract' },
  apply({ out, picture, feeds, dials: { by }, kernels, store }) {
    const cover = store.allocate(picture.width, picture.height, 1)
    kernels.matteOf(cover, picture, 'alpha', false)
    if (feeds.with) kernels.combineMattes(cover, cover, feeds.with, by)
    withCover(out, picture, cover, kernels)
    store.release(cover)
  },
})

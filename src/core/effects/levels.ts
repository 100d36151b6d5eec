import { defineEffect } from './effect.ts'
import { withCover } from './new-cover.ts'
import { levelDials } from './level-dials.ts'

export default defineEffect({
  id: 'levels',
  title: 'Matte levels',
  family: 'matte',
  kind: 'filter',
  purpose:
    'Cuts the faint and the nearly whole parts of a matte, lifts or lowers what lies between, turns it inside out.',
  search: 'black white gamma contrast clip crush invert matte density mask point gain',
  law: `Of the own alpha, held in 0–1: v = clamp((α − black) / (white − black), 0, 1)^(1 / gamma), inverted 1 − v. Colour follows its new cover as in Combine mattes.`,
  belongs: {
    after: [],
    before: ['light', 'shade', 'finish'],
    reason: 'A matte is settled before something acts by it.',
  },
  reach: () => 0,
  dials: levelDials,
  isOnCover: true,
  example: { black: 0.2, white: 0.8 },
  apply({ out, picture, dials, kernels, store }) {
    const cover = store.allocate(picture.width, picture.height, 1)
    kernels.matteOf(cover, picture, 'alpha', false)
    kernels.levelMatte(cover, cover, dials)
    withCover(out, picture, cover, kernels)
    store.release(cover)
  },
})

import { choice, flag } from '../dials/dials.ts'
import { defineEffect } from './effect.ts'

export default defineEffect({
  id: 'matte-from',
  title: 'Matte from',
  family: 'matte',
  kind: 'filter',
  purpose:
    'Makes a matte: white with the cover of the alpha, the luminance or a channel, or of a fed matte such as an object.',
  search: 'matte mask key luma channel object cover id cryptomatte cut-out extract alpha isolate selection',
  law: `The fed shape, or the alpha, luminance or channel of the premultiplied picture, held in 0–1; inverted 1 − that. White with that cover.`,
  belongs: { after: [], before: ['light', 'shade', 'finish'], reason: 'A matte says where later steps act.' },
  feeds: {
    shape: {
      kind: 'matte',
      required: false,
      hint: 'Taken in place of the picture: an object, a pass or another lane.',
    },
  },
  reach: () => 0,
  dials: {
    of: choice({
      default: 'alpha',
      options: { alpha: 'Alpha', luminance: 'Luminance', red: 'Red', green: 'Green', blue: 'Blue' },
      hint: 'Which part of the picture says where; held between 0 and 1.',
    }),
    invert: flag({ default: false, hint: 'On: the matte is where it was not.' }),
  },
  example: { of: 'luminance' },
  apply({ out, picture, feeds: { shape: fed }, dials: { of, invert }, kernels, store }) {
    const matte = fed ?? store.allocate(picture.width, picture.height, 1)
    if (!fed) kernels.matteOf(matte, picture, of, false)
    kernels.levelMatte(out, matte, { black: 0, white: 1, gamma: 1, invert })
    if (!fed) store.release(matte)
  },
})

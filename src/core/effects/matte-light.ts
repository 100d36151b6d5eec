import { choice, colour, number } from '../dials/dials.ts'
import { defineEffect } from './effect.ts'
import { movedReach, movedShape, shapeDials, shapeFeeds, shapeOffset } from './moved-shape.ts'

export default defineEffect({
  id: 'matte-light',
  title: 'Matte light',
  family: 'light',
  kind: 'light',
  purpose: 'Lights the picture inside a shape: a warm side, or a rim from its own shifted outline.',
  search: 'rim light edge backlight kick highlight side lit drawn kicker hair wrap',
  law: `Light = S · strength · tint · α (own), S · strength · tint · RGB (from the picture), or S · strength · the straight fed colours · α (fed). Nothing but light is given: it is added, and alpha stays. The shape S is the fed matte or the own alpha, held in 0–1, moved so that a point p of it goes to pivot + turn · scale · (p − pivot) + move (bilinear, averaged where it gets smaller; outside it is 0), then softened: round by a Gaussian of σ = softness / 2 px (edges of the frame repeat), along an angle by a straight fall to both sides over softness px. Inverted it is 1 − S.`,
  belongs: {
    after: ['colour', 'shade', 'matte'],
    before: ['motion', 'finish'],
    reason: 'Light comes on top of what is shaded, and moves with it.',
  },
  feeds: shapeFeeds,
  reach: movedReach,
  dials: {
    colour: choice({
      default: 'own',
      options: { own: 'Own', source: 'From the picture' },
      hint: 'A colour of its own, or that of what is lit.',
    }),
    tint: colour({
      default: [1, 0.75, 0.4],
      hint: 'Colour of the light, or what colours that of the picture.',
    }),
    strength: number({
      default: 1,
      range: [0, 4],
      hard: [0, 1e6],
      step: 0.01,
      hint: 'How bright the light is. There is no upper end.',
    }),
    ...shapeDials,
  },
  offset: shapeOffset,
  example: { invert: true, moveX: 5, moveY: 4, softness: 3, strength: 1.5 },
  starts: [
    { name: 'Thin rim', dials: { invert: true, moveX: 4, moveY: 3, softness: 2, strength: 1.2 } },
    { name: 'Broad side light', dials: { invert: true, moveX: 24, moveY: 10, softness: 18, strength: 0.7 } },
    {
      name: 'Cool back light',
      dials: { invert: true, moveY: 6, softness: 4, tint: [0.4, 0.7, 1], strength: 1 },
    },
  ],
  apply({ out, picture, feeds, dials, kernels, store }) {
    const { tint, strength } = dials
    const matte = movedShape(picture, feeds.shape, dials, { kernels, store })
    if (feeds.colours) kernels.takeColours(out, picture, feeds.colours, strength, 'light')
    else if (dials.colour === 'source')
      kernels.gains(out, picture, ...(tint.map((v) => v * strength) as [number, number, number]), 0)
    else {
      const cover = store.allocate(picture.width, picture.height, 1)
      kernels.matteOf(cover, picture, 'alpha', false)
      kernels.fill(out, tint[0] * strength, tint[1] * strength, tint[2] * strength, 0)
      kernels.weigh(out, out, cover, 0, 1)
      store.release(cover)
    }
    kernels.weigh(out, out, matte, 0, 1)
    store.release(matte)
  },
})

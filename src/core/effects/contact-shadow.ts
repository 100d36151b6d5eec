import { colour, number } from '../dials/dials.ts'
import { defineEffect } from './effect.ts'
import { movedReach, movedShape, shapeDials, shapeFeeds, shapeOffset } from './moved-shape.ts'

export default defineEffect({
  id: 'contact-shadow',
  title: 'Contact shadow',
  family: 'shade',
  kind: 'filter',
  purpose: 'A soft shadow of the shape behind the picture, so that it stands on something.',
  search: 'drop shadow cast ground behind floor shadows under',
  law: `Shadow = (shade, 1) · S · strength, and the picture goes over it: out = picture + (1 − α) · shadow. The shape S is the fed matte or the own alpha, held in 0–1, moved so that a point p of it goes to pivot + turn · scale · (p − pivot) + move (bilinear, averaged where it gets smaller; outside it is 0), then softened: round by a Gaussian of σ = softness / 2 px (edges of the frame repeat), along an angle by a straight fall to both sides over softness px. Inverted it is 1 − S.`,
  belongs: {
    after: ['colour', 'matte'],
    before: ['motion', 'finish'],
    reason: 'A shadow moves with what casts it.',
  },
  feeds: { shape: shapeFeeds.shape },
  reach: movedReach,
  dials: {
    shade: colour({ default: [0, 0, 0], hint: 'Colour of the shadow.' }),
    strength: number({ default: 0.6, range: [0, 1], step: 0.01, hint: 'How much the shadow covers.' }),
    ...shapeDials,
    moveX: { ...shapeDials.moveX, default: 6 },
    moveY: { ...shapeDials.moveY, default: 12 },
    softness: { ...shapeDials.softness, default: 16 },
  },
  offset: shapeOffset,
  example: { moveX: 10, moveY: 14, softness: 14 },
  starts: [
    { name: 'Close to the ground', dials: { moveX: 0, moveY: 6, softness: 8, strength: 0.8 } },
    { name: 'Floating', dials: { moveX: 20, moveY: 60, softness: 50, strength: 0.4 } },
  ],
  apply({ out, picture, feeds, dials, kernels, store }) {
    const [r, g, b] = dials.shade
    const matte = movedShape(picture, feeds.shape, dials, { kernels, store })
    const shadow = store.allocate(picture.width, picture.height, 4)
    kernels.fill(shadow, r, g, b, 1)
    kernels.weigh(shadow, shadow, matte, 0, dials.strength)
    kernels.join(out, shadow, picture, undefined, 'over', 1)
    for (const taken of [matte, shadow]) store.release(taken)
  },
})

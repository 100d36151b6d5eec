import { choice, colour, number } from '../dials/dials.ts'
import { defineEffect } from './effect.ts'
import { movedReach, movedShape, shapeDials, shapeFeeds, shapeOffset } from './moved-shape.ts'

export default defineEffect({
  id: 'matte-shade',
  title: 'Matte shade',
  family: 'shade',
  kind: 'filter',
  purpose: 'Darkens or colours the picture inside a shape, which may be its own outline, shifted.',
  search: 'shadow shade core darken multiply tint side form drawn shadows shading tone',
  law: `out = in + strength · S · (shaded − in). Multiply: shaded = in · shade; mix: shaded = shade · α. With colours fed, their straight colour stands for shade, and where they have none the picture stays. Alpha stays. The shape S is the fed matte or the own alpha, held in 0–1, moved so that a point p of it goes to pivot + turn · scale · (p − pivot) + move (bilinear, averaged where it gets smaller; outside it is 0), then softened: round by a Gaussian of σ = softness / 2 px (edges of the frame repeat), along an angle by a straight fall to both sides over softness px. Inverted it is 1 − S.`,
  belongs: { after: ['colour', 'matte'], before: ['light'], reason: 'What is shaded gives less light.' },
  feeds: shapeFeeds,
  reach: movedReach,
  dials: {
    shade: colour({
      default: [0.25, 0.35, 0.6],
      hint: 'Colour of the shade. Multiplied: what of each colour is left.',
    }),
    mode: choice({
      default: 'multiply',
      options: { multiply: 'Multiply', mix: 'Mix' },
      hint: 'Multiply darkens what is there; mix lays the colour over it.',
    }),
    strength: number({
      default: 1,
      range: [0, 1],
      step: 0.01,
      hint: 'How far towards the shade; the picture keeps its cover.',
    }),
    ...shapeDials,
  },
  offset: shapeOffset,
  example: { invert: true, moveX: -6, moveY: -6, softness: 6 },
  starts: [
    { name: 'Core shadow', dials: { invert: true, moveX: -24, moveY: -16, softness: 20 } },
    { name: 'Hard side', dials: { invert: true, moveX: 30, softness: 1 } },
    { name: 'Cool tint', dials: { mode: 'mix', shade: [0.15, 0.3, 0.5], strength: 0.4, softness: 0 } },
  ],
  apply({ out, picture, feeds, dials, kernels, store }) {
    const [r, g, b] = dials.shade
    const matte = movedShape(picture, feeds.shape, dials, { kernels, store })
    const shaded = store.allocate(picture.width, picture.height, 4)
    if (feeds.colours) kernels.takeColours(shaded, picture, feeds.colours, 1, dials.mode)
    else if (dials.mode === 'multiply') kernels.gains(shaded, picture, r, g, b, 1)
    else {
      // Clipped to the picture's own cover, so that nothing appears beside it.
      const cover = store.allocate(picture.width, picture.height, 1)
      kernels.matteOf(cover, picture, 'alpha', false)
      kernels.fill(shaded, r, g, b, 1)
      kernels.weigh(shaded, shaded, cover, 0, 1)
      store.release(cover)
    }
    kernels.mix(out, picture, shaded, matte, dials.strength)
    for (const taken of [matte, shaded]) store.release(taken)
  },
})

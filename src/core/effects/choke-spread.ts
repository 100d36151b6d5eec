import { edgeRange } from '../kernels/kernels.ts'
import { number } from '../dials/dials.ts'
import { defineEffect } from './effect.ts'
import { withCover } from './new-cover.ts'

export default defineEffect({
  id: 'choke-spread',
  title: 'Choke, spread',
  family: 'matte',
  kind: 'filter',
  purpose: 'Makes a shape smaller or larger by exact pixels, with an edge as soft as you like.',
  search:
    'grow shrink erode dilate expand contract matte edge outline mask bigger smaller larger thicker thinner dilation erosion fatten thin edges width',
  law: `d is the signed distance of a pixel's middle to the edge, in px, negative inside: through a pixel that is covered in part runs a straight edge of that cover across the gradient of cover (Gustavson and Strand 2011); beside such a pixel d follows the bend of the edge, k from how the edges of its neighbours turn: d = a + k·s² / (2·(1 + k·a)), a px across and s px along that edge; between wholly covered and empty pixels it runs half way, so that hard pixels are exact. Cover by t = spread − d: with a softness of at most 1 what a straight edge covers of a pixel that lies t within it, across the gradient of d (central differences, one-sided at the border; where its length is not within 0.5–2 an upright edge); with softness s of 2 or more ½ + t / s held in 0–1; between, the trapezium whose middle line and slopes lie between those of both. Spread 0 with a softness of at most 1 changes nothing. On straight edges, and on discs and holes from 3 px of radius on, the cover is within 0.06 of the true shape's. The edge is where cover is ½.`,
  belongs: {
    after: [],
    before: ['light', 'shade', 'finish'],
    reason: 'The shape is settled before something acts by it.',
  },
  reach: ({ spread, softness }) => Math.abs(spread) + softness + 3,
  dials: {
    spread: number({
      default: 4,
      range: [-60, 60],
      hard: [-4000, 4000],
      unit: 'px',
      step: 0.5,
      hint: 'More makes it larger, below 0 smaller; round corners stay round.',
    }),
    softness: number({
      default: 1,
      range: [0, 100],
      hard: [0, 4000],
      unit: 'px',
      step: 0.5,
      hint: 'Width of the edge, half of it on either side.',
    }),
  },
  isOnCover: true,
  example: { spread: -6, softness: 1 },
  apply({ out, picture, dials: { spread, softness }, kernels, store }) {
    // An edge as wide as it is, where it is: the picture as it is.
    if (spread === 0 && softness <= 1) {
      out.data.set(picture.data)
      return
    }
    const cover = store.allocate(picture.width, picture.height, 1)
    const distance = store.allocate(picture.width, picture.height, 1)
    kernels.matteOf(cover, picture, 'alpha', false)
    const soft = Math.max(1, softness)
    kernels.distance(distance, cover, edgeRange(spread, soft))
    kernels.edge(cover, distance, spread, soft)
    withCover(out, picture, cover, kernels)
    for (const taken of [cover, distance]) store.release(taken)
  },
})

import { outOfFocus } from '../picture/out-of-focus.ts'
import { apertureBlur, defocusByDepth } from '../kernels/defocus.ts'
import { choice, number } from '../dials/dials.ts'
import { defineEffect } from './effect.ts'

const byDepth = { dial: 'by', is: 'depth' } as const

export default defineEffect({
  id: 'defocus',
  title: 'Defocus',
  family: 'depth',
  kind: 'filter',
  purpose:
    'The blur of a lens: points become discs or polygons, the same everywhere or by how far things are from the focus.',
  search:
    'depth of field bokeh focus lens blur aperture iris rack background blurry pull shallow sharp front foreground dof circle confusion',
  law: `Every pixel is the mean over the aperture about it, its rim cut exactly through pixels; beyond the picture its edge goes on. A point becomes the aperture itself: with turn 0 a polygon has a corner to the right, and turns clockwise on screen. Its rim lies between straight blades and the disc by \`roundness\`. By distance d with focus f: half the sharp range h = range / 2 is sharp; behind it the radius is behind · (1 − (f + h) / d); in front it is min(inFront, inFront · ((f − h) / d − 1)); where nothing was hit it is \`behind\`. Planes of one distance have a layer of exactly their radius, surfaces in between are blended between layers less than 16 % apart; what is opaque stays so within 0.1 %.`,
  belongs: {
    after: ['colour', 'shade'],
    before: ['finish'],
    reason: 'What is out of focus is blurred with the light on it; grain comes after the lens.',
  },
  feeds: {
    depth: {
      kind: 'depth',
      required: false,
      without: 'nothing',
      hint: 'The depth pass, for blur by distance.',
    },
  },
  needs: ({ by }) => (by === 'depth' ? ['depth'] : []),
  reach: ({ by, radius, behind, inFront }) => (by === 'same' ? radius : 2 * Math.max(behind, inFront)) + 2,
  dials: {
    by: choice({
      default: 'same',
      options: { same: 'The same everywhere', depth: 'By distance' },
      label: 'Blurs',
      hint: 'One radius for all, or growing with the distance from the focus.',
    }),
    radius: number({
      default: 8,
      range: [0, 100],
      hard: [0, 400],
      unit: 'px',
      step: 0.1,
      when: { dial: 'by', is: 'same' },
      hint: 'Radius of the disc that a point becomes.',
    }),
    focus: number({
      default: 10,
      range: [0, 100],
      hard: [-1e9, 1e9],
      step: 0.1,
      unit: 'units',
      when: byDepth,
      pick: { of: 'depth' },
      hint: 'The distance that is sharp; pick it on the picture.',
    }),
    range: number({
      default: 0,
      range: [0, 20],
      hard: [0, 1e9],
      step: 0.1,
      unit: 'units',
      label: 'Sharp range',
      when: byDepth,
      hint: 'Depth about the focus that is sharp as well.',
    }),
    behind: number({
      default: 12,
      range: [0, 60],
      hard: [0, 200],
      unit: 'px',
      step: 0.1,
      when: byDepth,
      hint: 'Radius of what is infinitely far; nearer things have less, as a lens does it.',
    }),
    inFront: number({
      default: 12,
      range: [0, 60],
      hard: [0, 200],
      unit: 'px',
      step: 0.1,
      when: byDepth,
      hint: 'The largest radius of what is in front of the focus.',
    }),
    blades: number({
      default: 0,
      range: [0, 12],
      hard: [0, 64],
      step: 1,
      hint: '0 is a round opening; 3 and more give a polygon.',
    }),
    turn: number({
      default: 0,
      range: [0, 360],
      hard: [-36000, 36000],
      unit: '°',
      step: 1,
      hint: 'Turns the polygon.',
    }),
    roundness: number({
      default: 0.2,
      range: [0, 1],
      step: 0.01,
      hint: '0 has straight blades, 1 bends them to a disc.',
    }),
  },
  span: {
    feed: 'depth',
    marks: ({ by }) => (by === 'depth' ? ['focus'] : []),
    weight: (d) => (distance) => Math.abs(outOfFocus(distance, d)) / Math.max(d.behind, d.inFront, 1e-6),
  },
  starts: [
    { name: 'Soft background', dials: { by: 'depth', behind: 10, inFront: 6, range: 1 } },
    { name: 'Macro', dials: { by: 'depth', behind: 28, inFront: 28, blades: 6 } },
    { name: 'Out of focus', dials: { by: 'same', radius: 14, blades: 7 } },
  ],
  example: { by: 'same', radius: 9, blades: 6, roundness: 0 },
  apply({ out, picture, feeds: { depth }, dials: d, kernels, store }) {
    const aperture = { blades: Math.round(d.blades), turn: d.turn, roundness: d.roundness }
    if (d.by === 'same' || !depth) {
      apertureBlur(out, picture, d.radius, aperture, { kernels, store })
      return
    }
    const nearness = store.allocate(picture.width, picture.height, 1)
    kernels.focusRadius(nearness, depth, d)
    defocusByDepth(out, picture, nearness, d, aperture, { kernels, store })
    store.release(nearness)
  },
})

import type { ResampleFilter } from '../kernels/kernels.ts'
import { inverse, placement, type Affine } from '../picture/affine.ts'
import { choice, number, point } from '../dials/dials.ts'
import { placingDials } from './placing-dials.ts'
import { defineEffect } from './effect.ts'

interface Dials {
  readonly moveX: number
  readonly moveY: number
  readonly turn: number
  readonly scale: number
  readonly stretch: number
  readonly pivot: readonly [number, number]
  readonly filter: ResampleFilter
}

/** Where the dials put each point of the picture. */
function placed({ pivot, scale, stretch, turn, moveX, moveY, filter }: Dials): {
  matrix: Affine
  filter: ResampleFilter
} {
  return { matrix: placement(pivot, [(scale * stretch) / 1e4, scale / 100], turn, [moveX, moveY]), filter }
}

export default defineEffect({
  id: 'place',
  title: 'Place',
  family: 'motion',
  kind: 'filter',
  purpose:
    'Moves, turns and scales the picture; several in a row are computed as one, so that nothing softens twice.',
  search:
    'move position rotate turn scale size transform shift resize flip mirror horizontally vertically reposition offset pan zoom layer stretch',
  law: `A point p of the picture goes to pivot + turn · scale · (p − pivot) + move (across, scale is also times stretch); turn is clockwise, and all are in pixels of the full frame. Placings in a row, where no matte and no amount comes between, and those of a lane that is tapped, are joined into one matrix before the picture is sampled once, by the filter of the last of them. Nearest, bilinear, cubic (Catmull–Rom) and Lanczos (three lobes) on premultiplied light; where the picture gets smaller the filter grows with it. Outside the picture is nothing (alpha 0).`,
  belongs: {
    after: ['shade', 'matte', 'colour'],
    before: ['light', 'finish'],
    reason: 'Light spreads from where things stand in the end.',
  },
  dials: {
    ...placingDials(1000),
    stretch: number({
      default: 100,
      range: [10, 400],
      hard: [0.1, 10000],
      unit: '%',
      step: 1,
      taper: 'log',
      hint: 'More makes it wider than high; 100 keeps its shape.',
    }),
    pivot: point({ default: [0.5, 0.5], hint: 'What stays where it is while the picture turns and scales.' }),
    filter: choice({
      default: 'cubic',
      options: { nearest: 'Nearest', bilinear: 'Bilinear', cubic: 'Cubic', lanczos: 'Lanczos' },
      hint: 'How pixels between pixels are found. Lanczos is crispest and may ring at hard edges; nearest keeps hard pixels.',
    }),
  },
  offset: { x: 'moveX', y: 'moveY', about: 'pivot', turn: 'turn', scale: 'scale' },
  example: { turn: -8, scale: 85 },
  affine: placed,
  apply({ out, picture, dials, kernels }) {
    const { matrix, filter } = placed(dials)
    const back = inverse(matrix)
    if (back) kernels.resample(out, picture, back, filter)
    else kernels.fill(out, 0, 0, 0, 0)
  },
})

import type { Caught } from '../kernels/kernels.ts'
import type { WorkingSpace } from '../colour/working.ts'
import { hueSaturationMatrix, linearColour, type LinearColour } from '../picture/colour.ts'
import type { Rgb } from '../picture/picture.ts'
import { choice, colour, number } from '../dials/dials.ts'
import type { Feed } from './effect.ts'

// What the effects that draw light out of a picture have in common: which light they take, and its colour.

/**
 * The feeds that light is taken from: a picture, and a matte that says which part of it. The engine takes the part, so that an
 * effect gets one light.
 */
export const lightFeeds = {
  light: {
    kind: 'light',
    required: false,
    role: 'light',
    hint: 'Where the light comes from: an emission pass makes only what gives light shine. Without it, the step’s own picture.',
  },
  within: {
    kind: 'matte',
    required: false,
    role: 'part',
    without: 'everything',
    hint: 'Only light inside this gives any: chosen objects, a drawn shape or another lane.',
  },
} as const satisfies Record<string, Feed>

/** Dials that say which light is taken. */
export const catchDials = {
  threshold: number({
    default: 1,
    range: [0, 4],
    hard: [0, 1e6],
    step: 0.01,
    hint: 'Brightness from which light is taken. Less takes in more of the picture; 0 takes in all of it.',
    chart: { knee: 'knee', measure: 'measure' },
  }),
  knee: number({
    default: 0.5,
    range: [0, 1],
    step: 0.01,
    hint: 'How softly light sets in around the threshold: 0 is a hard edge, 1 begins at no light.',
  }),
  measure: choice({
    default: 'luminance',
    options: { luminance: 'Luminance', channel: 'Brightest channel' },
    label: 'Brightness by',
    hint: 'By its brightest channel a deep blue or red light counts as much as a white one.',
  }),
  ceiling: number({
    default: 1000,
    range: [1, 1000],
    hard: [0, 1e9],
    step: 1,
    taper: 'log',
    hint: 'Brightness that counts at most. Less keeps single over-bright pixels from flashing.',
  }),
} as const

/** Dials for the colour of the light. */
export const tintDials = {
  tint: colour({ default: [1, 1, 1], hint: 'Colours the light; white keeps the colour of its source.' }),
  saturation: number({
    default: 1,
    range: [0, 2],
    hard: [0, 100],
    step: 0.01,
    hint: 'Vividness of the light: 0 takes the tint alone as its colour, above 1 deepens the colour of its source.',
  }),
} as const

export interface CatchValues {
  readonly threshold: number
  readonly knee: number
  readonly measure: 'luminance' | 'channel'
  readonly ceiling: number
}

/** The dials as kernels take them; the knee is a share of the threshold. */
export function caughtBy({ threshold, knee, measure, ceiling }: CatchValues): Caught {
  return { threshold, knee: knee * threshold, ceiling, byMost: measure === 'channel' }
}

/** The colour dials as a matrix; undefined where they change nothing. */
export function tintBy(
  { tint, saturation }: { readonly tint: Rgb; readonly saturation: number },
  space: WorkingSpace,
): LinearColour | undefined {
  if (saturation === 1 && tint.every((v) => v === 1)) return undefined
  return linearColour(hueSaturationMatrix(space, 0, saturation, 1), 0, tint)
}

import { flag, number } from '../dials/dials.ts'

/** Dials that every key and pick ends with. */
export const levelDials = {
  black: number({
    default: 0,
    range: [0, 1],
    hard: [-10, 10],
    step: 0.01,
    hint: 'What becomes 0: more takes the faint parts away.',
  }),
  white: number({
    default: 1,
    range: [0, 1],
    hard: [-10, 10],
    step: 0.01,
    hint: 'What becomes 1: less makes more of it whole.',
  }),
  gamma: number({
    default: 1,
    range: [0.2, 3],
    hard: [0.01, 100],
    step: 0.01,
    hint: 'More lifts what lies between, less lowers it.',
  }),
  invert: flag({ default: false, hint: 'On: the matte is where it was not.' }),
} as const

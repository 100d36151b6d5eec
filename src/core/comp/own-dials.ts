import {
  colour,
  dialProblem,
  flag,
  nearestFit,
  number,
  point,
  type Dial,
  type DialValue,
} from '../dials/dials.ts'

const unit = { default: 1, range: [0, 1], step: 0.01 } as const
/** How the settings that are no dials of an effect are declared. */
export const ownDials = {
  on: flag({ default: true, hint: 'Off leaves the step out.' }),
  amount: number({ ...unit, hint: 'How far the step acts: 0 leaves the picture as it was, 1 is all of it.' }),
  opacity: number({ ...unit, hint: 'How much of the lane meets the picture below it.' }),
  colour: colour({ default: [1, 1, 1], hint: 'Its colour, linear.' }),
  alpha: number({ ...unit, hint: 'How much it covers.' }),
  at: point({ default: [0, 0], hint: 'Where this end lies.' }),
  spread: number({
    default: 0,
    range: [-40, 40],
    hard: [-4000, 4000],
    unit: 'px',
    hint: 'Above 0 the matte grows, below 0 it shrinks.',
  }),
  soft: number({ default: 0, range: [0, 60], hard: [0, 4000], unit: 'px', hint: 'Width of its edge.' }),
  invert: flag({ default: false, hint: 'On: it acts outside instead.' }),
  about: point({ default: [0.5, 0.5], hint: 'The drawing is turned and scaled about this point.' }),
  move: point({ default: [0, 0], hint: 'How far the drawing is moved from where it was drawn.' }),
  turn: number({
    default: 0,
    range: [-180, 180],
    hard: [-36_000, 36_000],
    unit: '°',
    step: 0.1,
    hint: 'Turns the drawing clockwise.',
  }),
  scale: number({
    default: 100,
    range: [0, 300],
    hard: [0, 10_000],
    unit: '%',
    step: 1,
    hint: 'Size of the drawing: 100 is as drawn.',
  }),
  inner: number({
    default: 0,
    range: [0, 100],
    hard: [0, 4000],
    unit: 'px',
    hint: 'Width of the soft edge inside the outline.',
  }),
  outer: number({
    default: 0,
    range: [0, 100],
    hard: [0, 4000],
    unit: 'px',
    hint: 'Width of the soft edge outside of the outline.',
  }),
} as const

/** A value as its dial takes it: what rides on a track may lead beyond. */
export function fitting(dial: Dial | undefined, value: DialValue): DialValue {
  if (!dial || dialProblem(dial, value) === undefined) return value
  return nearestFit(dial, value) ?? value
}

import * as v from 'valibot'
import { constant } from '../tracks/track.ts'
import { finite, id, name } from './parts.ts'

// What makes a step one of several: what it needs from outside, and its few dials that move what is inside.

const words = v.pipe(v.string(), v.maxLength(400, 'wants at most 400 characters'))

/** A setting inside that a dial moves. Lanes and steps are named by their ids in the comp that holds them. */
const inside = v.variant('of', [
  v.strictObject({
    of: v.literal('dial'),
    step: id,
    key: v.pipe(v.string(), v.minLength(1), v.maxLength(60)),
  }),
  v.strictObject({ of: v.literal('amount'), step: id }),
  v.strictObject({ of: v.literal('on'), step: id }),
  v.strictObject({ of: v.literal('opacity'), lane: id }),
])
const move = v.strictObject({
  setting: inside,
  /** Of numbers: what it is at the lowest and at the highest of the dial's range, straight between; the dial's own value where left out. */
  at: v.optional(v.strictTuple([finite, finite])),
  /** What it is for each value of a switch or a choice. */
  values: v.optional(v.record(v.pipe(v.string(), v.maxLength(60)), constant)),
})
const dial = v.strictObject({
  key: id,
  name,
  hint: v.optional(words),
  type: v.picklist(['number', 'flag', 'choice', 'colour', 'point', 'curve', 'gradient', 'picks']),
  /** Of points: as parts of the frame's width and height. */
  default: constant,
  /** Of numbers: what its slider covers, and its unit. */
  range: v.optional(v.strictTuple([finite, finite])),
  unit: v.optional(v.pipe(v.string(), v.maxLength(12))),
  /** Of curves: see CurveDial. */
  axis: v.optional(v.picklist(['unit', 'light'])),
  /** Of choices: what each is called. */
  options: v.optional(v.record(id, name)),
  moves: v.pipe(v.array(move), v.maxLength(64, 'wants at most 64 moves')),
})
export const inputKinds = ['light', 'matte', 'depth', 'normal', 'position', 'motion', 'table'] as const
const input = v.strictObject({
  key: id,
  name,
  kind: v.picklist(inputKinds),
  required: v.boolean(),
  /** What counts while nothing is connected. */
  without: v.optional(words),
  hint: v.optional(words),
})
export const families = ['light', 'shade', 'depth', 'matte', 'colour', 'motion', 'finish'] as const

export const recipeHead = v.strictObject({
  name,
  /** One line on what it is for. */
  about: words,
  family: v.picklist(families),
  /** Further words someone may search by. */
  words: v.optional(words),
  inputs: v.pipe(v.array(input), v.maxLength(24, 'wants at most 24 inputs')),
  dials: v.pipe(v.array(dial), v.maxLength(24, 'wants at most 24 dials')),
  /** It has a switch between all of it, its light alone, and what comes in without it: the dial partShown. */
  parts: v.optional(v.literal(true)),
  /** The recipe of the library that it is, and which version of it. */
  from: v.optional(v.strictObject({ id, version: v.pipe(v.number(), v.integer(), v.minValue(1)) })),
})
export type RecipeHead = v.InferOutput<typeof recipeHead>
export type RecipeDial = RecipeHead['dials'][number]
export type RecipeInput = RecipeHead['inputs'][number]
export type RecipeMove = RecipeDial['moves'][number]

/** The input that is the picture that comes to the step. */
export const pictureInput = 'picture'
/** What `effect` of a step holds that is made of others. */
export const compoundEffect = 'recipe'
/** The dial of a recipe that offers its parts: 'all', 'light' (what it has added, alone) or 'thing' (what comes in, without). */
export const partShown = 'part-shown'

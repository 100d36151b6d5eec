import { compoundEffect, partShown, type RecipeDial, type RecipeHead } from '../comp/recipe.ts'
import { findStep, type Comp, type Step } from '../comp/schema.ts'
import {
  choice,
  colour,
  curve,
  dialProblem,
  flag,
  gradient,
  number,
  picks,
  point,
  type Dial,
} from '../dials/dials.ts'
import { defineEffect, type Effect } from '../effects/effect.ts'
import { findEffect } from '../effects/registry.ts'

/** The dial that a recipe declares, as effects declare theirs. */
export function dialOf({
  name: label,
  hint = '',
  type,
  default: value,
  range = [0, 1],
  unit = '',
  axis = 'unit',
  options = {},
}: RecipeDial): Dial {
  /** Its own default where it is one of this type. */
  const orElse = <D extends Dial>(usual: D): D => ({
    ...usual,
    default: dialProblem(usual, value) === undefined ? value : usual.default,
  })
  switch (type) {
    case 'number':
      // How far it may be typed beyond is a matter of what it moves.
      return number({ default: Number(value), range, hard: [-1e6, 1e6], unit, label, hint })
    case 'flag':
      return flag({ default: value === true, label, hint })
    case 'colour':
      return colour({
        default:
          Array.isArray(value) && value.length === 3
            ? (value as unknown as [number, number, number])
            : [1, 1, 1],
        label,
        hint,
      })
    case 'point':
      return point({
        default:
          Array.isArray(value) && value.length === 2 ? (value as unknown as [number, number]) : [0.5, 0.5],
        label,
        hint,
      })
    case 'curve':
      return orElse(
        curve({
          default: [
            [0, 0],
            [1, 1],
          ],
          axis,
          label,
          hint,
        }),
      )
    case 'gradient':
      return orElse(
        gradient({
          default: [
            [0, 0, 0, 0],
            [1, 1, 1, 1],
          ],
          label,
          hint,
        }),
      )
    case 'picks':
      return orElse(picks({ default: [], label, hint }))
    case 'choice': {
      const keys = Object.keys(options)
      const first = typeof value === 'string' && keys.includes(value) ? value : (keys[0] ?? '')
      return choice({ default: first, options, label, hint })
    }
  }
}

const partsDial = choice({
  default: 'all',
  options: { all: 'All of it', light: 'Its light alone', thing: 'Without it' },
  label: 'Show',
  hint: 'All of it; what it adds alone, for a lane of its own; or what comes in, without it.',
})

const made = new WeakMap<RecipeHead, Effect>()

/** A recipe as an effect: its inputs as feeds, its dials as dials. What it computes is planned from what is in it. */
export function effectOfRecipe(recipe: RecipeHead): Effect {
  const known = made.get(recipe)
  if (known) return known
  const effect = defineEffect({
    id: compoundEffect,
    title: recipe.name,
    family: recipe.family,
    kind: 'filter',
    purpose: recipe.about,
    search: recipe.words ?? '',
    belongs: { after: [], before: [], reason: '' },
    feeds: Object.fromEntries(
      recipe.inputs.map(({ key, kind, required, without, hint = '', name }) => [
        key,
        { kind, required, hint: hint || name, ...(without === undefined ? {} : { without }) },
      ]),
    ),
    dials: {
      ...Object.fromEntries(recipe.dials.map((dial) => [dial.key, dialOf(dial)])),
      ...(recipe.parts ? { [partShown]: partsDial } : {}),
    },
    apply: () => {
      throw new Error('Internal mistake: a recipe is planned, not applied')
    },
  }) as unknown as Effect
  made.set(recipe, effect)
  return effect
}

/** The effect of a step: its recipe where it is made of others. Undefined where it is not known here. */
export function effectOf(step: Pick<Step, 'effect' | 'recipe'> | undefined): Effect | undefined {
  if (step?.recipe) return effectOfRecipe(step.recipe)
  return step && findEffect(step.effect)
}

/** The step inside that a dial of a step made of others moves first, through all that lie in each other: where what it picks from comes in. */
export function movedStep(comp: Comp, stepId: string, key: string): string {
  const step = findStep(comp, stepId)
  const first = step?.recipe?.dials.find((d) => d.key === key)?.moves[0]?.setting
  return first?.of === 'dial' ? movedStep(comp, first.step, first.key) : stepId
}

import { compoundEffect, type RecipeDial, type RecipeHead } from '../comp/recipe.ts'
import type { Step } from '../comp/schema.ts'
import { choice, colour, flag, number, point, type Dial } from '../dials/dials.ts'
import { defineEffect, type Effect } from '../effects/effect.ts'
import { findEffect } from '../effects/registry.ts'

/** The dial that a recipe declares, as effects declare theirs. */
export function dialOf({ name: label, hint = '', type, default: value, range = [0, 1], unit = '', options = {} }: RecipeDial): Dial {
  switch (type) {
    case 'number':
      // How far it may be typed beyond is a matter of what it moves.
      return number({ default: Number(value), range, hard: [-1e6, 1e6], unit, label, hint })
    case 'flag':
      return flag({ default: value === true, label, hint })
    case 'colour':
      return colour({ default: Array.isArray(value) && value.length === 3 ? (value as unknown as [number, number, number]) : [1, 1, 1], label, hint })
    case 'point':
      return point({ default: Array.isArray(value) && value.length === 2 ? (value as unknown as [number, number]) : [0.5, 0.5], label, hint })
    case 'choice': {
      const keys = Object.keys(options)
      const first = typeof value === 'string' && keys.includes(value) ? value : (keys[0] ?? '')
      return choice({ default: first, options, label, hint })
    }
  }
} // prettier-ignore

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
    dials: Object.fromEntries(recipe.dials.map((dial) => [dial.key, dialOf(dial)])),
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

import { putRecipe, unknownEffects } from '../../core/recipes/recipe-file.ts'
import { noteUsed } from './liked.ts'
import type { ShotStore } from '../shot/shot-store.ts'
import type { KnownRecipe } from './use-recipes.ts'

/** Puts a recipe onto a lane and selects its step; says what in it is not known here. */
export function addRecipe(
  store: ShotStore,
  { id: recipe, file }: KnownRecipe,
  lane: string,
  at: number,
): void {
  const { edit, set, media } = store.getState()
  const { name } = file.step.recipe!
  let step = ''
  edit(`Add ${name}`, (comp) => {
    const [next, id] = putRecipe(comp, media, file, lane, at)
    step = id
    return next
  })
  set({ selection: { lane, step } })
  noteUsed(recipe)
  const unknown = unknownEffects(file)
  if (unknown.length > 0)
    set({
      refusal: `${name} holds effects that are not part of this Zafiro: ${unknown.join(', ')}. Their steps are kept and left out.`,
    })
}

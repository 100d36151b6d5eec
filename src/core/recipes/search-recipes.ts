import MiniSearch from 'minisearch'
import { searchWords } from '../effects/suggest.ts'
import type { RecipeFile } from './recipe-file.ts'

interface Searched {
  readonly id: string
  readonly file: RecipeFile
}

let made: { readonly of: readonly Searched[]; readonly index: MiniSearch } | undefined

function indexOf(recipes: readonly Searched[]): MiniSearch {
  if (made?.of === recipes) return made.index
  const index = new MiniSearch({ fields: ['title', 'search', 'purpose', 'family'], ...searchWords })
  index.addAll(
    recipes.map(({ id, file: { step } }) => {
      const { name, words, about, family } = step.recipe!
      return { id, title: name, search: words ?? '', purpose: about, family }
    }),
  )
  made = { of: recipes, index }
  return index
}

/** The recipes that fit what someone types, best first, as effects are found; all by name for an empty search. */
export function searchRecipes<T extends Searched>(recipes: readonly T[], text: string): T[] {
  const byName = (a: T, b: T) => a.file.step.recipe!.name.localeCompare(b.file.step.recipe!.name)
  if (text.trim() === '') return [...recipes].sort(byName)
  const byId = new Map(recipes.map((r) => [r.id, r]))
  return indexOf(recipes)
    .search(text.slice(0, 200))
    .flatMap(({ id }) => byId.get(String(id)) ?? [])
}

'use client'

import { useQuery, useQueryClient } from '@tanstack/react-query'
import type * as v from 'valibot'
import { recipesAnswer } from '../../contracts/answers.ts'
import { drawer } from '../../core/recipes/drawer.ts'
import { parseRecipeFile, type RecipeFile } from '../../core/recipes/recipe-file.ts'
import { requestJson } from '../request-json.ts'

/** A recipe that may be put on a lane: of our own drawer, or of the library. */
export interface KnownRecipe {
  readonly id: string
  readonly version: number
  readonly file: RecipeFile
  readonly isOwn: boolean
}

interface Known {
  readonly recipes: readonly KnownRecipe[]
  /** Those of the library that can not be used, with the reason. */
  readonly broken: readonly { readonly id: string; readonly why: string }[]
}
type Listed = v.InferOutput<typeof recipesAnswer>['recipes']

/** A version of a recipe never changes, so each is read once, however often the library is asked for. */
const read = new Map<string, RecipeFile | string>()

function fileOf({ id, version, doc }: Listed[number]): RecipeFile | string {
  const key = `${id} ${version}`
  const known = read.get(key)
  if (known !== undefined) return known
  let file: RecipeFile | string
  try {
    file = parseRecipeFile(doc)
  } catch (problem) {
    file = problem instanceof Error ? problem.message : String(problem)
  }
  read.set(key, file)
  return file
}

/** Milliseconds that reading may take before the page has its turn. */
const turnMs = 12

/** Reads a library bit by bit, so that a large one holds nothing up. */
async function readAll(listed: Listed): Promise<void> {
  let from = performance.now()
  for (const one of listed) {
    fileOf(one)
    if (performance.now() - from < turnMs) continue
    await new Promise((resolve) => setTimeout(resolve))
    from = performance.now()
  }
}

let last: { readonly of: Listed; readonly known: Known } | undefined
/** The same for all who ask, as long as the library is the same. */
function knownOf(listed: Listed): Known {
  if (last?.of === listed) return last.known
  const recipes: KnownRecipe[] = []
  const broken: { id: string; why: string }[] = []
  for (const one of listed) {
    const file = fileOf(one)
    if (typeof file === 'string') broken.push({ id: one.id, why: file })
    else recipes.push({ id: one.id, version: one.version, file, isOwn: true })
  }
  for (const [id, file] of drawer())
    recipes.push({ id, version: file.step.recipe!.from!.version, file, isOwn: false })
  last = { of: listed, known: { recipes, broken } }
  return last.known
}

const none: Listed = []
const queryKey = ['recipes']

/** All recipes that can be used. */
export function useRecipes(): Known & { readonly failure: string | undefined; readonly renew: () => void } {
  const queries = useQueryClient()
  const { data, error } = useQuery({
    queryKey,
    queryFn: async () => {
      const answer = await requestJson(recipesAnswer, '/api/recipes')
      await readAll(answer.recipes)
      return answer
    },
  })
  return {
    ...knownOf(data?.recipes ?? none),
    failure: error?.message,
    renew: () => void queries.invalidateQueries({ queryKey }),
  }
}

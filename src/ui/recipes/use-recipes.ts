'use client'

import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useMemo } from 'react'
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

export const recipesKey = ['recipes']

/** All recipes that can be used, and those of the library that can not, with the reason. */
export function useRecipes(): {
  readonly recipes: readonly KnownRecipe[]
  readonly broken: readonly { readonly id: string; readonly why: string }[]
  readonly failure: string | undefined
  readonly renew: () => void
} {
  const queries = useQueryClient()
  const { data, error } = useQuery({
    queryKey: recipesKey,
    queryFn: () => requestJson(recipesAnswer, '/api/recipes'),
  })
  const read = useMemo(() => {
    const recipes: KnownRecipe[] = []
    const broken: { id: string; why: string }[] = []
    for (const { id, version, doc } of data?.recipes ?? [])
      try {
        recipes.push({ id, version, file: parseRecipeFile(doc), isOwn: true })
      } catch (problem) {
        broken.push({ id, why: problem instanceof Error ? problem.message : String(problem) })
      }
    for (const [id, file] of drawer())
      recipes.push({ id, version: file.step.recipe!.from!.version, file, isOwn: false })
    return { recipes, broken }
  }, [data])
  return {
    ...read,
    failure: error?.message,
    renew: () => void queries.invalidateQueries({ queryKey: recipesKey }),
  }
}

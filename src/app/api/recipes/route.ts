import { parseRecipeFile } from '../../../core/recipes/recipe-file.ts'
import { answer, newId, RequestError } from '../../../server/answer.ts'
import { most, recipeBody } from '../../../server/contracts.ts'
import { withDb } from '../../../server/db/pool.ts'
import { listRecipes, saveRecipe } from '../../../server/db/recipes.ts'
import { readBody } from '../../../server/request-body.ts'

/** All recipes of the library in their newest versions. */
export function GET(): Promise<Response> {
  return answer(async () => Response.json({ recipes: await withDb(listRecipes) }))
}

/** { doc, id?, base? }: a new recipe, or the next version of one on top of the version that it was made from. */
export function POST(request: Request): Promise<Response> {
  return answer(async () => {
    const { doc, id = newId(), base = 0 } = await readBody(request, recipeBody, most.recipe)
    const { step, ...rest } = parseRecipeFile(doc)
    const recipe = { ...step.recipe!, from: { id, version: base + 1 } }
    const kept = { ...rest, step: { ...step, recipe } }
    const result = await withDb((db) => saveRecipe(db, id, base, recipe.name, kept))
    if ('saved' in result) return Response.json({ id, version: result.saved })
    if (result.conflict === 0)
      throw new RequestError(
        404,
        'This recipe is not in the library any more. Save it as a new one; nothing is lost.',
      )
    throw new RequestError(
      409,
      `This recipe was saved elsewhere meanwhile: version ${result.conflict} is there. Take it and change it, or save yours as a new one; nothing is lost.`,
      [],
      { version: result.conflict },
    )
  })
}

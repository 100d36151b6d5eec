import { answer } from '../../../../../server/answer.ts'
import { withDb } from '../../../../../server/db/pool.ts'
import { usesOfRecipe } from '../../../../../server/db/recipes.ts'

type Context = { params: Promise<{ id: string }> }

/** The shots that use a recipe, of the library or of the drawer, in what they are now. */
export function GET(_: Request, { params }: Context): Promise<Response> {
  return answer(async () =>
    Response.json({ shots: await withDb(async (db) => usesOfRecipe(db, (await params).id)) }),
  )
}

import { answer, RequestError } from '../../../../server/answer.ts'
import { recipeQuery } from '../../../../server/contracts.ts'
import { withDb } from '../../../../server/db/pool.ts'
import { deleteRecipe, findRecipe } from '../../../../server/db/recipes.ts'
import { fitting, queryOf } from '../../../../server/request-body.ts'

type Context = { params: Promise<{ id: string }> }

const gone = () => new RequestError(404, 'There is no such recipe in the library.')

/** A version of a recipe (?version=) as its document. */
export function GET(request: Request, { params }: Context): Promise<Response> {
  return answer(async () => {
    const { version } = fitting(recipeQuery, queryOf(request))
    const doc = await withDb(async (db) => findRecipe(db, (await params).id, version))
    if (doc === undefined) throw gone()
    return Response.json({ doc })
  })
}

/** Takes a recipe out of the library. Comps that use it hold their own. */
export function DELETE(_: Request, { params }: Context): Promise<Response> {
  return answer(async () => {
    if (!(await withDb(async (db) => deleteRecipe(db, (await params).id)))) throw gone()
    return Response.json({ ok: true })
  })
}

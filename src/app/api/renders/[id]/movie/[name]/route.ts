import { answer, RequestError } from '../../../../../../server/answer.ts'
import { movieQuery } from '../../../../../../server/contracts.ts'
import { withDb } from '../../../../../../server/db/pool.ts'
import { findRender, shotOfRender } from '../../../../../../server/db/renders.ts'
import { fileResponse } from '../../../../../../server/file-response.ts'
import { movieKinds, movieTypes } from '../../../../../../server/render/movie.ts'
import { fitting, queryOf } from '../../../../../../server/request-body.ts'
import { movieOf } from '../../../../../../server/render/render-movie.ts'

type Context = { params: Promise<{ id: string; name: string }> }

/** A movie (mp4, webm or mov) of what a render has made so far, as it is looked at, at the rate of the shot; ?words with its frames' numbers written on it, ?alpha with alpha. */
export function GET(request: Request, { params }: Context): Promise<Response> {
  return answer(async () => {
    const { id, name } = await params
    const kind = movieKinds.find((k) => k === name)
    const [render, of] = await withDb(
      async (pool) => [await findRender(pool, id), await shotOfRender(pool, id)] as const,
    )
    if (!kind || !render) throw new RequestError(404, 'There is no such movie.')
    const { words, alpha } = fitting(movieQuery, queryOf(request))
    const choice = { hasWords: words !== undefined, hasAlpha: alpha !== undefined }
    const path = await movieOf(render, kind, of, choice)
    const file = await fileResponse(request, path, {
      'content-type': movieTypes[kind],
      'content-disposition': `inline; filename="render-${render.version}.${kind}"`,
      'cache-control': 'no-cache',
    })
    if (!file) throw new RequestError(404, 'The movie has gone from the disk.')
    return file
  })
}

import { answer, newId, RequestError } from '../../../../../server/answer.ts'
import { renderBody } from '../../../../../server/contracts.ts'
import { withDb } from '../../../../../server/db/pool.ts'
import { FrameListError, parseFrameList } from '../../../../../core/renders/frame-list.ts'
import { findRender, insertRender, rendersOfShot } from '../../../../../server/db/renders.ts'
import { framesWanted } from '../../../../../server/render/frames-wanted.ts'
import { readBody } from '../../../../../server/request-body.ts'
import { openShot } from '../../../../../server/shot-service.ts'

type Context = { params: Promise<{ id: string }> }

export function GET(_: Request, { params }: Context): Promise<Response> {
  return answer(async () =>
    withDb(async (pool) => {
      const ids = await rendersOfShot(pool, (await params).id)
      return Response.json({ renders: await Promise.all(ids.map((id) => findRender(pool, id))) })
    }),
  )
}

/**
 * Asks for a render of { frames, only, formats, options } of the shot as it is saved now; with { follows }, of all its frames as they come. Answers how many frames it has; none is no render: then
 * all that was asked for is there.
 */
export function POST(request: Request, { params }: Context): Promise<Response> {
  return answer(async () => {
    const {
      frames: text,
      only = 'all',
      formats: asked,
      options = {},
      follows = false,
    } = await readBody(request, renderBody)
    if (text === undefined && !follows) throw new RequestError(400, 'Say which frames are to be rendered.')
    const shot = await openShot((await params).id)
    const { comp, media, revision } = shot
    const formats = [...new Set(asked)]
    const id = newId()
    if (follows) {
      // The frames that there are come in by themselves, like those that are still to come.
      await withDb((pool) =>
        insertRender(pool, {
          id,
          shotId: shot.id,
          revision,
          comp,
          media,
          formats,
          options,
          frames: [],
          follows,
        }),
      )
      return Response.json({ id, frames: 0 })
    }
    const listed = framesOf(text ?? '')
    const frames = await withDb(async (pool) => {
      const all = { shotId: shot.id, comp, media, frames: listed, formats, options }
      const wanted = await framesWanted(pool, all, only)
      if (wanted.length > 0)
        await insertRender(pool, {
          id,
          shotId: shot.id,
          revision,
          comp,
          media,
          formats,
          options,
          frames: wanted,
        })
      return wanted.length
    })
    return Response.json({ id: frames > 0 ? id : null, frames })
  })
}

/** The frames of a list. Throws RequestError 400 in words. */
function framesOf(text: string): number[] {
  try {
    return parseFrameList(text)
  } catch (error) {
    if (error instanceof FrameListError) throw new RequestError(400, error.message)
    throw error
  }
}

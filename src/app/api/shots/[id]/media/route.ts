import * as v from 'valibot'
import { passKinds } from '../../../../../core/comp/media.ts'
import { answer, readJson, RequestError } from '../../../../../server/answer.ts'
import { readMedia, setPassKind } from '../../../../../server/db/media.ts'
import { withDb } from '../../../../../server/db/pool.ts'
import { bringIn } from '../../../../../server/media/intake.ts'
import { withUpload } from '../../../../../server/upload.ts'

type Context = { params: Promise<{ id: string }> }

/** All media of the shot, so that a page can follow frames as they arrive. */
export function GET(_: Request, { params }: Context): Promise<Response> {
  return answer(async () => {
    const { table } = await withDb(async (pool) => readMedia(pool, (await params).id))
    return Response.json({ media: table })
  })
}

/** Brings a file into the shot: the body is the file, x-file-name its name. Gives back its ref and all media. */
export function POST(request: Request, { params }: Context): Promise<Response> {
  return answer(async () => {
    const { id } = await params
    return withDb(async (pool) => {
      const { ref } = await withUpload(request, (path, fileName) => bringIn(pool, id, path, fileName))
      const { table, warnings } = await readMedia(pool, id)
      return Response.json({ ref, media: table, notes: warnings })
    })
  })
}

const kindSchema = v.object({ media: v.string(), pass: v.string(), kind: v.picklist(passKinds) })

/** Says by hand what a pass is: { media, pass, kind }. Gives back all media. */
export function PATCH(request: Request, { params }: Context): Promise<Response> {
  return answer(async () => {
    const body = v.safeParse(kindSchema, await readJson(request))
    if (!body.success)
      throw new RequestError(
        400,
        `Setting a kind wants { media, pass, kind }, kind one of ${passKinds.join(', ')}.`,
      )
    const { id } = await params
    const { media, pass, kind } = body.output
    return withDb(async (pool) => {
      if (!(await setPassKind(pool, id, media, pass, kind)))
        throw new RequestError(404, `There is no pass ${pass}.`)
      return Response.json({ media: (await readMedia(pool, id)).table })
    })
  })
}

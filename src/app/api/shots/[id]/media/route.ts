import { answer } from '../../../../../server/answer.ts'
import { readMedia } from '../../../../../server/db/media.ts'
import { withDb } from '../../../../../server/db/pool.ts'
import { bringIn } from '../../../../../server/media/intake.ts'
import { withUpload } from '../../../../../server/upload.ts'

type Context = { params: Promise<{ id: string }> }

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

import * as v from 'valibot'
import { answer, readJson, RequestError } from '../../../../../../server/answer.ts'
import { knownFiles } from '../../../../../../server/db/media.ts'
import { withDb } from '../../../../../../server/db/pool.ts'

type Context = { params: Promise<{ id: string }> }

const schema = v.object({
  files: v.array(v.object({ name: v.string(), bytes: v.number(), modifiedMs: v.number() })),
})

/** Which of some files need not be sent, as they are in the shot: { files: [{ name, bytes, modifiedMs }] } → { known: [index] }. */
export function POST(request: Request, { params }: Context): Promise<Response> {
  return answer(async () => {
    const body = v.safeParse(schema, await readJson(request))
    if (!body.success) throw new RequestError(400, 'This wants { files: [{ name, bytes, modifiedMs }] }.')
    const { id } = await params
    const key = (f: { name: string; bytes: number; modifiedMs: number }) =>
      `${f.modifiedMs} ${f.bytes} ${f.name}`
    const there = new Set((await withDb((pool) => knownFiles(pool, id))).map(key))
    return Response.json({ known: body.output.files.flatMap((f, i) => (there.has(key(f)) ? [i] : [])) })
  })
}

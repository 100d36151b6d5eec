import { answer } from '../../../../../../server/answer.ts'
import { knownBody, most } from '../../../../../../server/contracts.ts'
import { knownFiles } from '../../../../../../server/db/media.ts'
import { withDb } from '../../../../../../server/db/pool.ts'
import { isKept } from '../../../../../../server/media/store.ts'
import { readBody } from '../../../../../../server/request-body.ts'

type Context = { params: Promise<{ id: string }> }

/** Which of some files need not be sent, as they are in the shot: { files: [{ name, bytes, modifiedMs }] } → { known: [index] }. */
export function POST(request: Request, { params }: Context): Promise<Response> {
  return answer(async () => {
    const { files } = await readBody(request, knownBody, most.known)
    const { id } = await params
    const key = (f: { name: string; bytes: number; modifiedMs: number }) =>
      `${f.modifiedMs} ${f.bytes} ${f.name}`
    const rows = await withDb((pool) => knownFiles(pool, id))
    const wanted = new Set(files.map(key))
    // What the store has lost is taken again.
    const kept = await Promise.all(
      rows.map(async (row) => wanted.has(key(row)) && (await isKept(row.hash, row.bytes))),
    )
    const there = new Set(rows.filter((_, i) => kept[i]).map(key))
    return Response.json({ known: files.flatMap((f, i) => (there.has(key(f)) ? [i] : [])) })
  })
}

import { writeFile } from 'node:fs/promises'
import { basename } from 'node:path'
import { dialProblems, storeProblems } from '../core/comp/check.ts'
import { cutName } from '../core/comp/cut-name.ts'
import { addLane, emptyComp } from '../core/comp/edits.ts'
import { mediaName, splitPassName } from '../core/comp/file-names.ts'
import type { MediaTable } from '../core/comp/media.ts'
import { ProblemError } from '../core/comp/problem.ts'
import { parseComp, type Comp } from '../core/comp/schema.ts'
import { newId, RequestError } from './answer.ts'
import { readComp, saveComp, saveCompIn } from './db/comps.ts'
import { readMedia } from './db/media.ts'
import { withDb } from './db/pool.ts'
import { findShot, insertShot, renameShot } from './db/shots.ts'
import { signOfWork } from './home.ts'
import type { Incoming } from './incoming.ts'
import { beginShot } from './media/intake.ts'

/** Everything a page needs to open a shot. */
export interface OpenShot {
  readonly id: string
  readonly name: string
  readonly comp: Comp
  readonly revision: number
  readonly savedAt: string
  readonly media: MediaTable
  /** What was noticed in the media's files. */
  readonly notes: readonly string[]
}

const noShot = () => new RequestError(404, 'There is no such shot. It may have been deleted.')

export async function openShot(id: string): Promise<OpenShot> {
  return withDb(async (pool) => {
    const shot = await findShot(pool, id)
    const stored = shot && (await readComp(pool, id))
    if (!stored) throw noShot()
    const { table, warnings } = await readMedia(pool, id)
    const comp = parseComp(stored.doc)
    return {
      id,
      name: shot.name,
      comp,
      revision: stored.revision,
      savedAt: stored.savedAt.toISOString(),
      media: table,
      notes: warnings,
    }
  })
}

/** A comp from outside, fit to be saved. Throws ProblemError with the path of every value that is not. */
export function acceptComp(data: unknown): Comp {
  const comp = parseComp(data)
  const wrong = [...storeProblems(comp), ...dialProblems(comp)]
  if (wrong.length > 0) throw new ProblemError('This comp can not be saved', wrong)
  // What is stored must be opened again: the text that will be written is read as it will be read.
  const text = JSON.stringify(comp)
  if (JSON.stringify(parseComp(JSON.parse(text))) !== text)
    throw new ProblemError('This comp can not be saved', [
      { path: '', message: 'it holds values that a file can not hold, such as infinity' },
    ])
  return comp
}

/** Saves on top of a revision; gives back the new one. Throws RequestError 409 when someone else was faster. */
export async function saveOnto(id: string, base: number, comp: Comp): Promise<number> {
  return withDb(async (pool) => {
    const result = await saveComp(pool, id, base, comp)
    if ('gone' in result) throw noShot()
    if ('saved' in result) {
      // Only a courtesy to work in the background: nothing depends on it.
      await writeFile(signOfWork, '').catch(() => undefined)
      return result.saved
    }
    const { revision, savedAt } = result.conflict
    throw new RequestError(409, 'This shot was changed elsewhere since it was opened here.', [], {
      revision,
      savedAt: savedAt.toISOString(),
    })
  })
}

/** What the first lane of a file is called; lanes have shorter names than files. */
function laneName(fileName: string): string {
  const name = mediaName(basename(fileName))
  return cutName(splitPassName(name)?.base ?? name) || 'Picture'
}

/** A new shot from one brought-in file: canvas of its size, one lane with its first colour pass. */
export async function createShotFrom({ path, fileName, modifiedMs, isInPlace }: Incoming): Promise<string> {
  return withDb((pool) =>
    beginShot(
      pool,
      { path, fileName: basename(fileName), modifiedMs, isInPlace },
      async (db, name) => {
        const id = newId()
        await insertShot(db, id, name)
        return id
      },
      async (db, id, ref, info) => {
        const pass = info.passes.find((p) => p.kind === 'colour') ?? info.passes[0]
        let comp = emptyComp(info.width, info.height)
        if (pass) comp = addLane(comp, laneName(fileName), { type: 'pass', media: ref, pass: pass.name })
        await saveCompIn(db, id, 0, acceptComp(comp))
      },
    ),
  )
}

export async function renameShotTo(id: string, name: string): Promise<void> {
  const trimmed = name.trim()
  if (!trimmed) throw new RequestError(400, 'A shot needs a name.')
  if (trimmed.length > 200 || !trimmed.isWellFormed())
    throw new RequestError(400, 'The name of a shot has at most 200 whole characters.')
  if (!(await withDb((pool) => renameShot(pool, id, trimmed)))) throw noShot()
}

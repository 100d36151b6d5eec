import { writeFile } from 'node:fs/promises'
import { basename } from 'node:path'
import { dialProblems } from '../core/comp/check.ts'
import { addLane, emptyComp } from '../core/comp/edits.ts'
import { splitPassName, type MediaTable } from '../core/comp/media.ts'
import { ProblemError } from '../core/comp/problem.ts'
import { parseComp, type Comp } from '../core/comp/schema.ts'
import { newId, RequestError } from './answer.ts'
import { readComp, saveComp } from './db/comps.ts'
import { readMedia } from './db/media.ts'
import { withDb } from './db/pool.ts'
import { findShot, insertShot, renameShot } from './db/shots.ts'
import { signOfWork } from './home.ts'
import type { Incoming } from './incoming.ts'
import { bringIn, mediaName } from './media/intake.ts'

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

export async function openShot(id: string): Promise<OpenShot> {
  return withDb(async (pool) => {
    const shot = await findShot(pool, id)
    const stored = shot && (await readComp(pool, id))
    if (!stored) throw new RequestError(404, 'There is no such shot. It may have been deleted.')
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
  const wrong = dialProblems(comp)
  if (wrong.length > 0) throw new ProblemError('This comp can not be saved', wrong)
  return comp
}

/** Saves on top of a revision; gives back the new one. Throws RequestError 409 when someone else was faster. */
export async function saveOnto(id: string, base: number, comp: Comp): Promise<number> {
  return withDb(async (pool) => {
    if (!(await findShot(pool, id)))
      throw new RequestError(404, 'There is no such shot. It may have been deleted.')
    const result = await saveComp(pool, id, base, comp)
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

/** A new shot from one brought-in file: canvas of its size, one lane with its first colour pass. */
export async function createShotFrom({ path, fileName, modifiedMs, isInPlace }: Incoming): Promise<string> {
  return withDb(async (pool) => {
    const id = newId()
    const name = splitPassName(mediaName(basename(fileName)))?.base ?? mediaName(basename(fileName))
    await insertShot(pool, id, name)
    try {
      const { ref, info } = await bringIn(pool, id, path, fileName, { modifiedMs, isInPlace })
      if (ref === undefined || !info || info.format === 'cube')
        throw new RequestError(422, `${fileName} is no picture. Begin with one.`)
      const pass = info.passes.find((p) => p.kind === 'colour') ?? info.passes[0]
      let comp = emptyComp(info.width, info.height)
      if (pass) comp = addLane(comp, name, { type: 'pass', media: ref, pass: pass.name })
      await saveComp(pool, id, 0, comp)
      return id
    } catch (error) {
      await pool.execute('delete from shots where id = ?', [id])
      throw error
    }
  })
}

export async function renameShotTo(id: string, name: string): Promise<void> {
  const trimmed = name.trim().slice(0, 200)
  if (!trimmed) throw new RequestError(400, 'A shot needs a name.')
  await withDb((pool) => renameShot(pool, id, trimmed))
}

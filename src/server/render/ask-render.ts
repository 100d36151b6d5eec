import type { Pool } from 'mysql2/promise'
import { parseComp, type Comp } from '../../core/comp/schema.ts'
import type { OutputFormat } from '../../core/formats/write-picture.ts'
import { fileStem, usualName } from '../../core/renders/file-name.ts'
import { FrameListError, parseFrameList } from '../../core/renders/frame-list.ts'
import type { RenderOptions } from '../../core/renders/render-options.ts'
import { newId, RequestError } from '../answer.ts'
import { withDb } from '../db/pool.ts'
import { findMade, insertRender, nextVersion, type NewRender } from '../db/renders.ts'
import { openShot } from '../shot-service.ts'
import { besideWhatIsThere } from './deliver.ts'
import { framesWanted, type WantedFrames } from './frames-wanted.ts'

export interface AskedRender {
  /** As people write them. */
  readonly frames?: string | undefined
  readonly only?: WantedFrames | undefined
  readonly formats: readonly OutputFormat[]
  readonly options?: RenderOptions | undefined
  /** In place of frames: those that there are, and further ones as they come. */
  readonly follows?: boolean | undefined
  /** What frames that come are finished with: the look that the shot has then, the one it has now, or that of one of its renders. */
  readonly look?: 'then' | 'now' | { readonly render: string } | undefined
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

/** The comp that a render of a shot was made of. Throws RequestError. */
async function lookOf(pool: Pool, shotId: string, renderId: string): Promise<Comp> {
  const made = await findMade(pool, renderId)
  if (made?.shotId !== shotId) throw new RequestError(404, 'There is no such render of this shot.')
  return parseComp(made.doc)
}

/**
 * Asks for a render of a shot as it is saved now. Gives back its id and how many frames it has; no id where nothing is to be made. Throws RequestError and
 * DeliveryError.
 */
export async function askRender(
  shotId: string,
  { frames: text, only = 'all', formats: asked, options = {}, follows = false, look = 'then' }: AskedRender,
): Promise<{ readonly id: string | null; readonly frames: number }> {
  if (text === undefined && !follows) throw new RequestError(400, 'Say which frames are to be rendered.')
  const { id: shot, name, comp: current, media, revision } = await openShot(shotId)
  const formats = [...new Set(asked)]
  return withDb(async (pool) => {
    const comp = typeof look === 'object' ? await lookOf(pool, shot, look.render) : current
    const { first, last } = comp.frames
    const listed = follows
      ? Array.from({ length: last - first + 1 }, (_, i) => first + i)
      : await framesWanted(
          pool,
          { shotId: shot, comp, media, frames: framesOf(text ?? ''), formats, options },
          only,
        )
    let [frames, naming] = [listed, options]
    if (options.deliver) {
      const named = {
        space: options.space,
        pattern: options.name ?? usualName,
        shot: fileStem(name),
        frames: listed,
        formats,
      }
      const beside = await besideWhatIsThere(options.deliver, named, await nextVersion(pool, shot))
      frames = [...beside.frames]
      if (beside.pattern !== usualName) naming = { ...options, name: beside.pattern }
    }
    if (frames.length === 0 && !follows) return { id: null, frames: 0 }
    const render: NewRender = {
      id: newId(),
      shotId: shot,
      revision,
      comp,
      media,
      formats,
      follows,
      options: follows && look !== 'then' ? { ...naming, keepsLook: true } : naming,
      // The frames that there are come in by themselves, like those that are still to come.
      frames: follows ? [] : frames,
    }
    await insertRender(pool, render)
    return { id: render.id, frames: render.frames.length }
  })
}

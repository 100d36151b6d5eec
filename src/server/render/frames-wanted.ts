import type { MediaTable } from '../../core/comp/media.ts'
import type { Comp } from '../../core/comp/schema.ts'
import { plan } from '../../core/engine/plan/plan.ts'
import type { Reading } from '../../core/engine/readings.ts'
import type { OutputFormat } from '../../core/formats/write-picture.ts'
import type { RenderOptions } from '../../core/renders/render-options.ts'
import type { Db } from '../db/pool.ts'
import { framesMade, picturesMade } from '../db/renders.ts'
import { storedReadings } from '../db/readings.ts'

/** Which frames of a list are rendered: all; those of which the shot has no files; those whose picture is another than the last one. */
export const wantedFrames = ['all', 'missing', 'changed'] as const
export type WantedFrames = (typeof wantedFrames)[number]

interface Asked {
  readonly shotId: string
  readonly comp: Comp
  readonly media: MediaTable
  readonly frames: readonly number[]
  readonly formats: readonly OutputFormat[]
  readonly options: RenderOptions
}

/** What all that a frame's picture depends on is called; undefined where something has to be read out of pictures first. */
async function pictureKey(
  { comp, media }: Asked,
  frame: number,
  known: Map<string, Reading>,
): Promise<string | undefined> {
  for (;;) {
    const found = { find: (key: string) => known.get(key) }
    const { node, needs } = plan(comp, media, frame, 1, { type: 'picture' }, found)
    if (needs.length === 0) return node.key
    const read = await storedReadings.fetch(needs.map((n) => n.key))
    if (needs.some((n) => !read.has(n.key))) return undefined
    for (const [key, reading] of read) known.set(key, reading)
  }
}

/** The frames of a list that are wanted. A frame that was not whole counts as changed. */
export async function framesWanted(db: Db, asked: Asked, which: WantedFrames): Promise<number[]> {
  const { shotId, frames, formats, options } = asked
  if (which === 'all') return [...frames]
  if (which === 'missing') {
    const made = await framesMade(db, shotId)
    return frames.filter((frame) => !made.has(frame))
  }
  const made = await picturesMade(db, shotId, formats, options)
  const known = new Map<string, Reading>()
  const wanted: number[] = []
  for (const frame of frames) {
    const last = made.get(frame)
    if (last === undefined || last !== (await pictureKey(asked, frame, known))) wanted.push(frame)
  }
  return wanted
}

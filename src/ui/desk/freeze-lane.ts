import { redirectLinks, tappedPoints } from '../../core/comp/references.ts'
import { dropLane } from '../../core/comp/buses.ts'
import type { Link } from '../../core/comp/schema.ts'
import { broughtInAnswer, mediaAnswer } from '../../contracts/answers.ts'
import { requestJson } from '../request-json.ts'
import { sendFile } from '../send-file.ts'
import type { EngineClient } from '../engine/engine-client.ts'
import type { ShotStore } from '../shot/shot-store.ts'

/**
 * Puts stills of this frame in the place of a lane, for all that take their picture from it, and removes the lane: one still for
 * each point that is tapped, brought into the shot as media. Rejects, with nothing changed, where a still can not be made.
 */
export async function freezeLane(
  shotId: string,
  store: ShotStore,
  engine: EngineClient,
  laneId: string,
  signal: AbortSignal,
): Promise<void> {
  const { comp, media, frame } = store.getState()
  const lane = comp.lanes.find((l) => l.id === laneId)
  if (!lane) return
  const path = `/api/shots/${shotId}/media`
  const refs = new Map<string | undefined, string>()
  for (const [i, after] of tappedPoints(comp, laneId).entries()) {
    const point = after === undefined ? {} : { after }
    const bytes = await engine.exr({ comp, media, frame }, { type: 'lane', lane: laneId, ...point })
    if (!bytes) throw new Error(`${lane.name} could not be computed, so no still of it was made.`)
    // A number before the ending would be taken for a frame's.
    const name = `${lane.name.replace(/[^\p{L}\p{N} ]+/gu, ' ').trim()} still ${i + 1} of frame ${frame}.exr`
    const { ref } = await sendFile(broughtInAnswer, path, new File([bytes], name), { signal })
    refs.set(after, ref)
  }
  const answer = await requestJson(mediaAnswer, path)
  store.getState().set({ media: answer.media })
  const still = (after: string | undefined): Link => {
    const ref = refs.get(after)!
    return { type: 'pass', media: ref, pass: answer.media[ref]?.passes[0]?.name ?? 'beauty' }
  }
  store
    .getState()
    .edit(`Freeze ${lane.name} at frame ${frame}`, (c) => dropLane(redirectLinks(c, laneId, still), laneId))
  store.getState().set({ selection: undefined })
}

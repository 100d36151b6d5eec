import type { Effect } from '../effects/effect.ts'
import { addStep, editStep, masterId } from './edits.ts'
import type { MediaTable } from './media.ts'
import { passKinds, rulesOf } from '../passes/passes.ts'
import type { Comp, FeedLink, Lane, Step } from './schema.ts'

/** The media that a lane's picture comes from: its own, that of what it taps, or that of the hindmost lane in it. */
export function mediaBehind(
  comp: Comp,
  laneId: string,
  seen: ReadonlySet<string> = new Set(),
): string | undefined {
  if (seen.has(laneId)) return undefined
  const further = new Set([...seen, laneId])
  const among = (lanes: readonly Lane[]) => {
    for (const { id, kind } of lanes) {
      const found = kind === 'picture' ? mediaBehind(comp, id, further) : undefined
      if (found !== undefined) return found
    }
    return undefined
  }
  if (laneId === masterId) return among(comp.lanes.filter((l) => l.in === undefined))
  const source = comp.lanes.find((l) => l.id === laneId)?.source
  if (source?.type === 'pass') return source.media
  if (source?.type === 'tap') return mediaBehind(comp, source.lane, further)
  if (source?.type === 'lanes') return among(comp.lanes.filter((l) => l.in === laneId))
  return undefined
}

/**
 * Feeds that a new step on a lane has without a doubt: passes of the kind that it wants, beside the picture that the lane comes from. Tables are
 * taken from wherever there is one.
 */
export function naturalFeeds(comp: Comp, media: MediaTable, laneId: string, effect: Effect): Step['feeds'] {
  const own = mediaBehind(comp, laneId)
  const feeds: Record<string, FeedLink> = {}
  for (const [name, { kind }] of Object.entries(effect.feeds)) {
    const places =
      kind === 'table'
        ? Object.keys(media)
        : own === undefined || !passKinds.some((k) => k === kind && rulesOf(k).isData)
          ? []
          : [own]
    for (const ref of places) {
      const pass = media[ref]?.passes.find((p) => p.kind === kind)
      if (pass && !feeds[name]) feeds[name] = { from: { type: 'pass', media: ref, pass: pass.name } }
    }
  }
  return feeds
}

/** A step of an effect before the one now at `at`, with the feeds that it has without a doubt. Gives back its id. */
export function addFedStep(
  comp: Comp,
  media: MediaTable,
  laneId: string,
  at: number,
  effect: Effect,
): [Comp, string] {
  const [next, id] = addStep(comp, laneId, at, effect.id)
  const feeds = naturalFeeds(comp, media, laneId, effect)
  return [
    editStep(next, id, (step) => {
      Object.assign(step.feeds, feeds)
    }),
    id,
  ]
}

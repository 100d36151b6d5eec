import { produce, type WritableDraft } from 'immer'
import { defaultDials, findEffect } from '../effects/registry.ts'
import { assert } from '../assert.ts'
import { usualRate } from '../time.ts'
import { furthestFrame, mostFrames } from './frame-limits.ts'
import { compVersion } from './upgrades/upgrade.ts'
import { rulesOf, type PassKind } from '../passes/passes.ts'
import { allSteps, type Comp, type FeedLink, type Lane, type Source, type Step } from './schema.ts'

// Every edit is a pure function from one comp to the next; what did not change is shared between them.

/** The list of steps called 'master' when no lane is meant. */
export const masterId = 'master'

/** An id that the comp does not use yet: prefix and the next free number. */
export function freshId(comp: Comp, prefix: string): string {
  const used = new Set([...comp.lanes, ...allSteps(comp), ...comp.drawings].map((x) => x.id))
  let n = 1
  while (used.has(`${prefix}${n}`)) n++
  return `${prefix}${n}`
}

export function emptyComp(width: number, height: number): Comp {
  return {
    format: 'zafiro-comp',
    version: compVersion,
    canvas: { width, height, margin: 0 },
    frames: { first: 1, last: 1, rate: usualRate },
    lanes: [],
    master: [],
    drawings: [],
  }
}

/** Which frames the shot has, and how fast they follow each other; numbers become whole, the last is not before the first. */
export function setFrames(comp: Comp, to: Partial<Comp['frames']>): Comp {
  const { first, last, rate } = { ...comp.frames, ...to }
  const held = (v: number) => Math.min(furthestFrame, Math.max(-furthestFrame, Math.round(v)))
  // What was set counts, and the other end gives way.
  const from =
    to.first === undefined && to.last !== undefined ? Math.min(held(first), held(last)) : held(first)
  const until = Math.min(from + mostFrames - 1, Math.max(from, held(last)))
  return { ...comp, frames: { first: from, last: until, rate } }
}

function stepList(comp: WritableDraft<Comp>, laneId: string): WritableDraft<Step>[] {
  if (laneId === masterId) return comp.master
  const lane = comp.lanes.find((l) => l.id === laneId)
  assert(lane, `no lane ${laneId}`)
  return lane.steps
}

/** The lane (or 'master') and place of a step; undefined when there is none of that id. */
export function placeOfStep(
  comp: Comp,
  stepId: string,
): { laneId: string; index: number; step: Step } | undefined {
  for (const { id, steps } of [...comp.lanes, { id: masterId, steps: comp.master }]) {
    const index = steps.findIndex((s) => s.id === stepId)
    if (index >= 0) return { laneId: id, index, step: steps[index]! }
  }
  return undefined
}

export function addLane(comp: Comp, name: string, source: Source, at = comp.lanes.length): Comp {
  const lane: Lane = {
    id: freshId(comp, 'lane'),
    name,
    kind: 'picture',
    source,
    steps: [],
    join: { mode: 'over', opacity: 1 },
    muted: false,
    solo: false,
    locked: false,
  }
  return { ...comp, lanes: comp.lanes.toSpliced(at, 0, lane) }
}

/**
 * Adds a lane that begins with a pass, used as its kind is: light is added, shadow and occlusion multiply, data and mattes are for others
 * to feed from (common practice). The first lane of all is seen, whatever it is.
 */
export function addPassLane(
  comp: Comp,
  name: string,
  source: Source & { type: 'pass' },
  kind: PassKind | undefined,
  at = comp.lanes.length,
): Comp {
  const next = addLane(comp, name, source, at)
  const { id } = next.lanes[at]!
  if (comp.lanes.length === 0 || kind === undefined) return next
  return editLane(next, id, (lane) => {
    const { joins, isForMattes } = rulesOf(kind)
    if (joins) lane.join.mode = joins
    if (isForMattes) lane.kind = 'matte'
  })
}

export function editLane(comp: Comp, laneId: string, change: (lane: WritableDraft<Lane>) => void): Comp {
  return produce(comp, (draft) => {
    const lane = draft.lanes.find((l) => l.id === laneId)
    if (lane) change(lane)
  })
}

/** Puts a step of an effect, with its defaults, before the step now at `at`. Gives back the comp and the step's id. */
export function addStep(comp: Comp, laneId: string, at: number, effectId: string): [Comp, string] {
  const effect = findEffect(effectId)
  assert(effect, `no effect ${effectId}`)
  const id = freshId(comp, 'step')
  const step: Step = {
    id,
    effect: effectId,
    on: true,
    amount: 1,
    dials: defaultDials(effect, comp.canvas) as Step['dials'],
    feeds: {},
  }
  return [
    produce(comp, (draft) => void stepList(draft, laneId).splice(at, 0, step as WritableDraft<Step>)),
    id,
  ]
}

export function editStep(comp: Comp, stepId: string, change: (step: WritableDraft<Step>) => void): Comp {
  const place = placeOfStep(comp, stepId)
  return place
    ? produce(comp, (draft) => {
        change(stepList(draft, place.laneId)[place.index]!)
      })
    : comp
}

export function removeStep(comp: Comp, stepId: string): Comp {
  const place = placeOfStep(comp, stepId)
  if (!place) return comp
  const next = produce(comp, (draft) => void stepList(draft, place.laneId).splice(place.index, 1))
  const gone = new Set(place.step.recipe ? lanesOfStep(comp, stepId) : [])
  return gone.size === 0 ? next : { ...next, lanes: next.lanes.filter((l) => !gone.has(l.id)) }
}

/** Ids of the lanes that a step is made of, with what is in their buses and in steps of theirs; none for other steps. */
export function lanesOfStep(comp: Pick<Comp, 'lanes'>, stepId: string): string[] {
  return comp.lanes.filter((l) => l.in === stepId).flatMap((l) => withInside(comp, l.id))
}

/** Ids of a lane and of everything in it: in a bus, and in steps that are made of lanes. */
export function withInside(comp: Pick<Comp, 'lanes'>, laneId: string): string[] {
  const steps = comp.lanes.find((l) => l.id === laneId)?.steps ?? []
  return [
    laneId,
    ...comp.lanes.filter((l) => l.in === laneId).flatMap((l) => withInside(comp, l.id)),
    ...steps.flatMap((s) => (s.recipe ? lanesOfStep(comp, s.id) : [])),
  ]
}

/** Moves a step to another place; `at` counts among the steps of the target without the moved one. */
export function moveStep(comp: Comp, stepId: string, laneId: string, at: number): Comp {
  const place = placeOfStep(comp, stepId)
  if (!place) return comp
  return produce(comp, (draft) => {
    const [step] = stepList(draft, place.laneId).splice(place.index, 1)
    stepList(draft, laneId).splice(at, 0, step!)
  })
}

/** Connects a feed of a step ('matte' is the step's own), or cuts it where `feed` is undefined. */
export function setFeed(comp: Comp, stepId: string, key: string, feed: FeedLink | undefined): Comp {
  return editStep(comp, stepId, (step) => {
    if (key === 'matte') {
      if (feed) step.matte = feed
      else delete step.matte
    } else if (feed) step.feeds[key] = feed
    else step.feeds = Object.fromEntries(Object.entries(step.feeds).filter(([name]) => name !== key))
  })
}

/** The comp with all steps off: the picture as it came in. */
export function withoutSteps(comp: Comp): Comp {
  return produce(comp, (draft) => {
    for (const step of [...draft.lanes.flatMap((l) => l.steps), ...draft.master]) step.on = false
  })
}

import { cutName } from './cut-name.ts'
import { produce, type WritableDraft } from 'immer'
import { findEffect } from '../effects/registry.ts'
import { freshId, masterId } from './edits.ts'
import {
  allSteps,
  type Comp,
  type FeedLink,
  type Lane,
  type Link,
  type MatteLink,
  type Source,
  type Step,
} from './schema.ts'

// What takes its picture from where: loops, who uses what, buses.

type Tap = Link & { type: 'tap' }

const tapOf = (link: Link | undefined): Tap[] => (link?.type === 'tap' ? [link] : [])
const matteLinks = (matte: MatteLink | undefined): Link[] =>
  matte ? [matte, ...(matte.also ?? [])].map((m) => m.from) : []
const matteTaps = (matte: MatteLink | undefined): Tap[] => matteLinks(matte).flatMap(tapOf)
const stepTaps = (step: Step): Tap[] => [
  ...Object.values(step.feeds).flatMap((f) => tapOf(f.from)),
  ...matteTaps(step.matte),
]
const sourceTaps = ({ source }: Lane): Tap[] => (source.type === 'tap' ? [source] : [])

/**
 * Names of the lanes of a loop, first one again at the end; undefined when there is none. Points of lanes are told apart: a step
 * may take its light from an earlier point of its own lane.
 */
export function findLoop(comp: Comp): string[] | undefined {
  const byId = new Map(comp.lanes.map((l) => [l.id, l]))
  const done = new Set<string>()
  const open: { key: string; lane: string }[] = []
  const index = (lane: Lane, after: string | undefined) =>
    after === undefined
      ? lane.steps.length
      : after === 'source'
        ? 0
        : lane.steps.findIndex((s) => s.id === after) + 1
  const visit = (lane: Lane | undefined, at: number): string[] | undefined => {
    if (!lane) return undefined
    const key = `${lane.id} ${at}`
    if (done.has(key)) return undefined
    const begun = open.findIndex((o) => o.key === key)
    if (begun >= 0) {
      const ids = open.slice(begun).map((o) => o.lane)
      const names = ids.filter((id, i) => id !== ids[i - 1]).map((id) => byId.get(id)!.name)
      return [...names, names[0]!]
    }
    open.push({ key, lane: lane.id })
    const follow = (taps: readonly Tap[]) => {
      for (const tap of taps) {
        const target = byId.get(tap.lane)
        const loop = target && visit(target, index(target, tap.after))
        if (loop) return loop
      }
      return undefined
    }
    let loop: string[] | undefined
    if (at > 0) loop = visit(lane, at - 1) ?? follow(stepTaps(lane.steps[at - 1]!))
    else {
      loop = follow(sourceTaps(lane))
      if (lane.source.type === 'lanes')
        for (const child of comp.lanes.filter((l) => l.in === lane.id))
          loop ??= visit(child, child.steps.length) ?? follow(matteTaps(child.join.matte))
    }
    open.pop()
    done.add(key)
    return loop
  }
  for (const lane of comp.lanes) {
    const loop = visit(lane, lane.steps.length)
    if (loop) return loop
  }
  return undefined
}

/** Something that takes its picture from a lane. */
export interface Dependent {
  readonly laneId: string
  readonly stepId?: string
}

/** Everything that taps a lane (or a step of it), steps of its own lane left out. */
export function dependentsOf(comp: Comp, laneId: string, stepId?: string): Dependent[] {
  const uses = (taps: readonly Tap[]) =>
    taps.some((t) => t.lane === laneId && (stepId === undefined || t.after === stepId))
  const found: Dependent[] = []
  for (const lane of comp.lanes) {
    if (lane.id === laneId) continue
    if (uses(sourceTaps(lane)) || uses(matteTaps(lane.join.matte))) found.push({ laneId: lane.id })
  }
  for (const { id, steps } of [...comp.lanes, { id: masterId, steps: comp.master }])
    if (id !== laneId)
      for (const step of steps) if (uses(stepTaps(step))) found.push({ laneId: id, stepId: step.id })
  return found
}

/** Every link of a draft, to be read or replaced. */
function eachLink(
  draft: WritableDraft<Comp>,
  visit: (link: Link, replace: (by: Link) => void) => void,
): void {
  const visitFeed = (feed: { from: Link }) => {
    visit(feed.from, (by) => {
      feed.from = by
    })
  }
  const visitMatte = (matte: WritableDraft<MatteLink> | undefined) => {
    for (const one of matte ? [matte, ...(matte.also ?? [])] : []) visitFeed(one)
  }
  for (const lane of draft.lanes) {
    if (lane.source.type === 'tap')
      visit(lane.source, (by) => {
        lane.source = by
      })
    visitMatte(lane.join.matte)
  }
  for (const step of allSteps(draft) as WritableDraft<Step>[]) {
    Object.values(step.feeds).forEach(visitFeed)
    visitMatte(step.matte)
  }
}

/** Replaces each link to a lane; `to` says by what, for the point of the lane that is tapped (undefined: its end). */
export function redirectLinks(comp: Comp, laneId: string, to: (after: string | undefined) => Link): Comp {
  return produce(comp, (draft) => {
    eachLink(draft, (link, replace) => {
      if (link.type === 'tap' && link.lane === laneId) replace(to(link.after))
    })
  })
}

/** The points of a lane that others take from; undefined is its end. */
export function tappedPoints(comp: Comp, laneId: string): (string | undefined)[] {
  const found = new Set<string | undefined>()
  redirectLinks(dropLane(comp, laneId), laneId, (after) => {
    found.add(after)
    return { type: 'tap', lane: laneId }
  })
  return [...found]
}

/** The comp without any link to a lane. A source that was a tap of it becomes empty. */
export function cutLinksTo(comp: Comp, laneId: string): Comp {
  return cutLinks(comp, (link) => link.type === 'tap' && link.lane === laneId)
}

/** The comp without a drawing, and without any link to it. */
export function dropDrawing(comp: Comp, id: string): Comp {
  const cut = cutLinks(comp, (link) => link.type === 'drawing' && link.drawing === id)
  return { ...cut, drawings: cut.drawings.filter((d) => d.id !== id) }
}

/** Ids of the drawings that a lane takes its source or a matte from. */
export function drawingsOf(lane: Lane): ReadonlySet<string> {
  const mattes = [lane.join.matte, ...lane.steps.flatMap((s) => [s.matte, ...Object.values(s.feeds)])]
  const links = mattes.flatMap(matteLinks)
  const all: readonly (Link | Source)[] = [...links, lane.source]
  return new Set(all.flatMap((l) => (l.type === 'drawing' ? [l.drawing] : [])))
}

function cutLinks(comp: Comp, isTo: (link: Link) => boolean): Comp {
  const cutMatte = (holder: { matte?: WritableDraft<MatteLink> | undefined }) => {
    if (!holder.matte) return
    const { also: further = [], ...own } = holder.matte
    const rest = [own, ...further].filter((m) => !isTo(m.from))
    if (rest.length === further.length + 1) return
    delete holder.matte
    const [first, ...others] = rest
    if (first) {
      const plain: Record<string, unknown> = { ...first }
      delete plain['by']
      const also = others.map((m) => ({ by: 'union' as const, ...m }))
      holder.matte = {
        ...(plain as unknown as WritableDraft<FeedLink>),
        ...(also.length > 0 ? { also } : {}),
      }
    }
  }
  return produce(comp, (draft) => {
    for (const lane of draft.lanes) {
      if ((lane.source.type === 'tap' || lane.source.type === 'drawing') && isTo(lane.source))
        lane.source = { type: 'colour', colour: [0, 0, 0], alpha: 0 }
      cutMatte(lane.join)
    }
    for (const step of [...draft.lanes.flatMap((l) => l.steps), ...draft.master]) {
      step.feeds = Object.fromEntries(Object.entries(step.feeds).filter(([, f]) => !isTo(f.from)))
      cutMatte(step)
    }
  })
}

/** Lanes with those in a bus directly behind it, in the order that they have among each other. */
function ordered(lanes: readonly Lane[]): Lane[] {
  const inside = (bus: string | undefined): Lane[] =>
    lanes.filter((l) => l.in === bus).flatMap((l) => (l.source.type === 'lanes' ? [...inside(l.id), l] : [l]))
  return inside(undefined)
}

/** Ids of a lane and, when it is a bus, of everything in it. */
export function withInside(comp: Comp, laneId: string): string[] {
  return [laneId, ...comp.lanes.filter((l) => l.in === laneId).flatMap((l) => withInside(comp, l.id))]
}

/** Buses around a lane, the nearest first. */
export function busesAround(comp: Comp, laneId: string): string[] {
  const around = comp.lanes.find((l) => l.id === laneId)?.in
  return around === undefined ? [] : [around, ...busesAround(comp, around)]
}

const placedIn = (lane: Lane, bus: string | undefined): Lane => {
  const placed: Lane = { ...lane }
  delete placed.in
  return bus === undefined ? placed : { ...placed, in: bus }
}

/**
 * Puts a lane (a bus with all that is in it) in front of or behind another, into the bus that the other is in. A lane is not put
 * into itself.
 */
export function placeLane(comp: Comp, laneId: string, side: 'front' | 'back', of: string): Comp {
  const moved = comp.lanes.find((l) => l.id === laneId)
  const other = comp.lanes.find((l) => l.id === of)
  if (!moved || !other || withInside(comp, laneId).includes(of)) return comp
  const rest = comp.lanes.filter((l) => l.id !== laneId)
  const at = rest.indexOf(other) + (side === 'front' ? 1 : 0)
  return { ...comp, lanes: ordered(rest.toSpliced(at, 0, placedIn(moved, other.in))) }
}

/** Puts a lane into a bus, in front of what is in it; onto an ordinary lane: both come into a new bus. Gives back the bus's id. */
export function joinBus(comp: Comp, laneId: string, onto: string): [Comp, string] {
  const moved = comp.lanes.find((l) => l.id === laneId)
  const target = comp.lanes.find((l) => l.id === onto)
  if (!moved || !target || withInside(comp, laneId).includes(onto)) return [comp, onto]
  if (target.source.type === 'lanes') {
    const rest = comp.lanes.filter((l) => l.id !== laneId)
    const at = rest.indexOf(target)
    return [{ ...comp, lanes: ordered(rest.toSpliced(at, 0, placedIn(moved, onto))) }, onto]
  }
  const id = freshId(comp, 'lane')
  const bus: Lane = {
    ...placedIn(target, target.in),
    id,
    name: cutName(`${target.name} bus`),
    kind: 'picture',
    source: { type: 'lanes' },
    steps: [],
    join: { mode: 'over', opacity: 1 },
    muted: false,
    solo: false,
    locked: false,
  }
  const rest = comp.lanes.filter((l) => l.id !== laneId)
  const at = rest.indexOf(target)
  const lanes = rest.toSpliced(at, 1, placedIn(target, id), placedIn(moved, id), bus)
  return [{ ...comp, lanes: ordered(lanes) }, id]
}

/** Takes a lane out of its bus, to in front of it. A bus that is left empty goes. */
export function leaveBus(comp: Comp, laneId: string): Comp {
  const bus = comp.lanes.find((l) => l.id === laneId)?.in
  if (bus === undefined) return comp
  const out = placeLane(comp, laneId, 'front', bus)
  return out.lanes.some((l) => l.in === bus) ? out : { ...out, lanes: out.lanes.filter((l) => l.id !== bus) }
}

/** The comp without a lane. What is in a bus stays, where the bus was. */
export function dropLane(comp: Comp, laneId: string): Comp {
  const lane = comp.lanes.find((l) => l.id === laneId)
  if (!lane) return comp
  const rest = comp.lanes.filter((l) => l.id !== laneId)
  return { ...comp, lanes: ordered(rest.map((l) => (l.in === laneId ? placedIn(l, lane.in) : l))) }
}

/** A copy of a lane in front of it, steps with ids of their own; of a bus, with all that is in it. Gives back the copy's id. */
export function duplicateLane(comp: Comp, laneId: string): [Comp, string] {
  const ids = withInside(comp, laneId)
  let next = comp
  const copies = new Map<string, string>()
  const stepCopies = new Map<string, string>()
  for (const id of ids) {
    copies.set(id, freshId(next, 'lane'))
    const lane = comp.lanes.find((l) => l.id === id)!
    const steps: Step[] = []
    for (const step of lane.steps) {
      const taken = { ...next, master: [...next.master, ...steps] }
      const fresh = freshId(taken, 'step')
      stepCopies.set(step.id, fresh)
      steps.push({ ...step, id: fresh })
    }
    const parent = lane.in !== undefined && id !== laneId ? copies.get(lane.in) : lane.in
    const name = id === laneId ? cutName(`${lane.name} copy`) : lane.name
    const copy: Lane = { ...placedIn(lane, parent), id: copies.get(id)!, name, steps }
    const at = next.lanes.findIndex((l) => l.id === laneId)
    next = { ...next, lanes: next.lanes.toSpliced(at + copies.size, 0, copy) }
  }
  // Copies take from each other what the originals took from each other.
  const made = new Set(copies.values())
  const lanes = next.lanes.map((lane) => (made.has(lane.id) ? withTapsOf(lane, copies, stepCopies) : lane))
  return [{ ...next, lanes: ordered(lanes) }, copies.get(laneId)!]
}

/** A lane whose taps of lanes that were copied are taps of their copies. */
function withTapsOf(
  lane: Lane,
  lanes: ReadonlyMap<string, string>,
  steps: ReadonlyMap<string, string>,
): Lane {
  const remap = (value: unknown): unknown => {
    if (Array.isArray(value)) return value.map(remap)
    if (typeof value !== 'object' || value === null) return value
    const link = value as { type?: unknown; lane?: unknown; after?: unknown }
    const inner = Object.fromEntries(Object.entries(value).map(([key, v]) => [key, remap(v)]))
    if (link.type !== 'tap' || typeof link.lane !== 'string' || !lanes.has(link.lane)) return inner
    const after = typeof link.after === 'string' ? { after: steps.get(link.after) ?? link.after } : {}
    return { ...inner, lane: lanes.get(link.lane), ...after }
  }
  return remap(lane) as Lane
}

/** Copies of steps, with fresh ids, before the step now at `at` of a lane. Gives back the ids. */
export function insertSteps(
  comp: Comp,
  laneId: string,
  at: number,
  steps: readonly Step[],
): [Comp, string[]] {
  const ids: string[] = []
  const next = produce(comp, (draft) => {
    const list = laneId === masterId ? draft.master : draft.lanes.find((l) => l.id === laneId)?.steps
    for (const [i, step] of steps.entries()) {
      const id = freshId(draft, 'step')
      ids.push(id)
      list?.splice(at + i, 0, { ...structuredClone(step), id } as WritableDraft<Step>)
    }
  })
  return [next, ids]
}

/** The matte that says where a step acts: its own, else the first matte that its effect is fed. */
export function matteOfStep(step: Step): MatteLink | undefined {
  if (step.matte) return step.matte
  const declared = findEffect(step.effect)?.feeds
  return Object.entries(step.feeds).find(([name]) => declared?.[name]?.kind === 'matte')?.[1]
}

/** Lanes and steps that have a matte. */
export function mattesOf(comp: Comp): { readonly lane: string; readonly step?: string }[] {
  const lanes = comp.lanes.flatMap((l) => (l.join.matte ? [{ lane: l.id }] : []))
  const steps = [...comp.lanes, { id: masterId, steps: comp.master }].flatMap(({ id, steps: all }) =>
    all.flatMap((s) => (matteOfStep(s) ? [{ lane: id, step: s.id }] : [])),
  )
  return [...lanes, ...steps]
}

/** What a lane or step is fed from and what it feeds, as lane and step ids: what lights up when it is selected. */
export function linked(comp: Comp, laneId: string, stepId?: string): ReadonlySet<string> {
  const found = new Set<string>()
  const step = stepId === undefined ? undefined : allSteps(comp).find((s) => s.id === stepId)
  const lane = comp.lanes.find((l) => l.id === laneId)
  const taps = step
    ? stepTaps(step)
    : lane
      ? [...sourceTaps(lane), ...matteTaps(lane.join.matte), ...lane.steps.flatMap(stepTaps)]
      : []
  for (const tap of taps) found.add(tap.after !== undefined && tap.after !== 'source' ? tap.after : tap.lane)
  for (const user of dependentsOf(comp, laneId, stepId)) found.add(user.stepId ?? user.laneId)
  if (!step && lane) {
    for (const child of comp.lanes) if (child.in === laneId) found.add(child.id)
    if (lane.in !== undefined) found.add(lane.in)
  }
  found.delete(laneId)
  return found
}

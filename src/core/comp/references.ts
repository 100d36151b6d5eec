import { effectOf } from '../recipes/effect-of.ts'
import { masterId } from './edits.ts'
import { mapRiderLinks, riderLinks } from './rider-links.ts'
import {
  findStep,
  type Comp,
  type FeedLink,
  type Lane,
  type Link,
  type MatteLink,
  type Source,
  type Step,
} from './schema.ts'

// Links are walked here and nowhere else: what takes its picture from where, what is to be replaced, what would go round in a loop.

/** Where a link stands: in a lane (or the master) and perhaps a step of it, or in how the picture is looked at. */
export type LinkPlace =
  | { readonly use: 'source' | 'join'; readonly laneId: string }
  | { readonly use: 'feed'; readonly laneId: string; readonly stepId: string; readonly feed: string }
  | { readonly use: 'matte'; readonly laneId: string; readonly stepId: string }
  /** What a setting follows or measures. */
  | { readonly use: 'rider'; readonly laneId: string; readonly stepId?: string }
  | { readonly use: 'viewing' }

export interface PlacedLink {
  readonly link: Link
  readonly place: LinkPlace
}

const isLink = (source: Source): source is Link & Source =>
  source.type === 'pass' || source.type === 'tap' || source.type === 'drawing' || source.type === 'input'

/** The links of a matte: its own and the further ones. */
const matteLinks = (matte: MatteLink | undefined): Link[] =>
  matte ? [matte, ...(matte.also ?? [])].map((m) => m.from) : []

/** The links of a step: its feeds, then its matte. */
export function linksOfStep(step: Step, laneId: string): PlacedLink[] {
  const feeds = Object.entries(step.feeds).map(([feed, { from }]): PlacedLink => {
    return { link: from, place: { use: 'feed', laneId, stepId: step.id, feed } }
  })
  const place = { use: 'matte', laneId, stepId: step.id } as const
  const riders = riderLinks(step).map((link): PlacedLink => {
    return { link, place: { use: 'rider', laneId, stepId: step.id } }
  })
  return [...feeds, ...matteLinks(step.matte).map((link) => ({ link, place })), ...riders]
}

/** The links of a lane, from its source over its steps to its join. */
export function linksOfLane(lane: Lane): PlacedLink[] {
  const laneId = lane.id
  return [
    ...(isLink(lane.source) ? [{ link: lane.source, place: { use: 'source', laneId } as const }] : []),
    ...lane.steps.flatMap((step) => linksOfStep(step, laneId)),
    ...matteLinks(lane.join.matte).map((link) => ({ link, place: { use: 'join', laneId } as const })),
    ...riderLinks([lane.source, lane.join]).map((link) => ({
      link,
      place: { use: 'rider', laneId } as const,
    })),
  ]
}

/** All links of a comp: by lanes, then the master, then how the picture is looked at. */
export function linksOf(comp: Comp): PlacedLink[] {
  return [
    ...comp.lanes.flatMap(linksOfLane),
    ...comp.master.flatMap((step) => linksOfStep(step, masterId)),
    ...(comp.viewing?.type === 'table'
      ? [{ link: comp.viewing.table, place: { use: 'viewing' } as const }]
      : []),
  ]
}

/** What becomes of a link: another, itself, or undefined where it is cut. */
export type ChangeLink = (link: Link, place: LinkPlace) => Link | undefined

/** The same list where nothing in it changed, so that what is kept is shared. */
function mapped<T>(list: readonly T[], change: (item: T) => T): T[] {
  const next = list.map(change)
  return next.every((item, i) => item === list[i]) ? (list as T[]) : next
}

function changedMatte(matte: MatteLink, change: (link: Link) => Link | undefined): MatteLink | undefined {
  const { also = [], ...own } = matte
  const all = [own, ...also].map((one) => ({ one, to: change(one.from) }))
  if (all.every(({ one, to }) => to === one.from)) return matte
  const [first, ...rest] = all.flatMap(({ one, to }) => (to ? [{ ...one, from: to }] : []))
  if (!first) return undefined
  // The first that is left begins the matte; what it was joined by falls away.
  const begin: FeedLink & { by?: unknown } = { ...first }
  delete begin.by
  const further = rest.map((one) => ({ by: 'union' as const, ...one }))
  return further.length > 0 ? { ...begin, also: further } : begin
}

/** A step with its links changed; one that is cut leaves its feed open. */
export function mapStepLinks(old: Step, laneId: string, change: ChangeLink): Step {
  const step = mapRiderLinks(old, (link) => change(link, { use: 'rider', laneId, stepId: old.id }))
  const feeds = Object.entries(step.feeds).map(([feed, one]) => {
    return { feed, one, to: change(one.from, { use: 'feed', laneId, stepId: step.id, feed }) }
  })
  const isFed = feeds.every(({ one, to }) => to === one.from)
  const matte =
    step.matte && changedMatte(step.matte, (link) => change(link, { use: 'matte', laneId, stepId: step.id }))
  if (isFed && matte === step.matte) return step
  const next: Step = { ...step }
  if (!isFed)
    next.feeds = Object.fromEntries(
      feeds.flatMap(({ feed, one, to }) =>
        to ? [[feed, to === one.from ? one : { ...one, from: to }]] : [],
      ),
    )
  if (matte) next.matte = matte
  else delete next.matte
  return next
}

/** A lane with its links changed; a source that is cut becomes empty. */
export function mapLaneLinks(old: Lane, change: ChangeLink): Lane {
  const laneId = old.id
  const rider = (link: Link) => change(link, { use: 'rider', laneId })
  const [ridden, met] = [mapRiderLinks(old.source, rider), mapRiderLinks(old.join, rider)]
  const lane = ridden === old.source && met === old.join ? old : { ...old, source: ridden, join: met }
  const to = isLink(lane.source) ? change(lane.source, { use: 'source', laneId }) : undefined
  const empty: Source = { type: 'colour', colour: [0, 0, 0], alpha: 0 }
  const source = isLink(lane.source) && to !== lane.source ? (to ?? empty) : lane.source
  const steps = mapped(lane.steps, (step) => mapStepLinks(step, laneId, change))
  const matte =
    lane.join.matte && changedMatte(lane.join.matte, (link) => change(link, { use: 'join', laneId }))
  if (source === lane.source && steps === lane.steps && matte === lane.join.matte) return lane
  const join = { ...lane.join }
  if (matte) join.matte = matte
  else delete join.matte
  return { ...lane, source, steps, join: matte === lane.join.matte ? lane.join : join }
}

/** A comp with its links changed. What has none that changed stays the very same. */
export function mapLinks(comp: Comp, change: ChangeLink): Comp {
  const lanes = mapped(comp.lanes, (lane) => mapLaneLinks(lane, change))
  const master = mapped(comp.master, (step) => mapStepLinks(step, masterId, change))
  const { viewing } = comp
  const table = viewing?.type === 'table' ? change(viewing.table, { use: 'viewing' }) : undefined
  const isSeen = viewing?.type !== 'table' || table === viewing.table
  if (lanes === comp.lanes && master === comp.master && isSeen) return comp
  const next: Comp = { ...comp, lanes, master }
  if (viewing?.type !== 'table' || isSeen) return next
  // A table is a pass and nothing else.
  if (table?.type === 'pass') next.viewing = { ...viewing, table }
  else delete next.viewing
  return next
}

type Tap = Link & { type: 'tap' }
const tapsOf = (links: readonly PlacedLink[]): Tap[] =>
  links.flatMap(({ link }) => (link.type === 'tap' ? [link] : []))

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
  const linksAt = (lane: Lane, use: 'source' | 'join') =>
    tapsOf(
      linksOfLane(lane).filter(({ place }) => place.use === use || (place.use === 'rider' && !place.stepId)),
    )
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
    if (at > 0) {
      const step = lane.steps[at - 1]!
      loop = visit(lane, at - 1) ?? follow(tapsOf(linksOfStep(step, lane.id)))
      if (step.recipe)
        for (const child of comp.lanes.filter((l) => l.in === step.id))
          loop ??= visit(child, child.steps.length) ?? follow(linksAt(child, 'join'))
    } else {
      loop = follow(linksAt(lane, 'source'))
      if (lane.source.type === 'lanes')
        for (const child of comp.lanes.filter((l) => l.in === lane.id))
          loop ??= visit(child, child.steps.length) ?? follow(linksAt(child, 'join'))
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
  const found = new Map<string, Dependent>()
  for (const { link, place } of linksOf(comp)) {
    if (link.type !== 'tap' || link.lane !== laneId || place.use === 'viewing' || place.laneId === laneId)
      continue
    if (stepId !== undefined && link.after !== stepId) continue
    const user = 'stepId' in place ? { laneId: place.laneId, stepId: place.stepId } : { laneId: place.laneId }
    found.set(`${user.laneId} ${user.stepId ?? ''}`, user)
  }
  // Lanes first, as they stand; then steps.
  return [...found.values()].sort((a, b) => Number('stepId' in a) - Number('stepId' in b))
}

/** Replaces each link to a lane; `to` says by what, for the point of the lane that is tapped (undefined: its end). */
export function redirectLinks(comp: Comp, laneId: string, to: (after: string | undefined) => Link): Comp {
  return mapLinks(comp, (link) => (link.type === 'tap' && link.lane === laneId ? to(link.after) : link))
}

/** The points of a lane that others take from; undefined is its end. */
export function tappedPoints(comp: Comp, laneId: string): (string | undefined)[] {
  const others = linksOf(comp).filter(({ place }) => place.use === 'viewing' || place.laneId !== laneId)
  return [...new Set(tapsOf(others).flatMap((tap) => (tap.lane === laneId ? [tap.after] : [])))]
}

/** The comp without any link to a lane. A source that was a tap of it becomes empty. */
export function cutLinksTo(comp: Comp, laneId: string): Comp {
  return mapLinks(comp, (link) => (link.type === 'tap' && link.lane === laneId ? undefined : link))
}

/** The comp without a drawing, and without any link to it. */
export function dropDrawing(comp: Comp, id: string): Comp {
  const cut = mapLinks(comp, (link) => (link.type === 'drawing' && link.drawing === id ? undefined : link))
  return { ...cut, drawings: cut.drawings.filter((d) => d.id !== id) }
}

/** Ids of the drawings that a lane takes its source or a matte from. */
export function drawingsOf(lane: Lane): ReadonlySet<string> {
  return new Set(linksOfLane(lane).flatMap(({ link }) => (link.type === 'drawing' ? [link.drawing] : [])))
}

/** The matte that says where a step acts: its own, else the first matte that its effect is fed. */
export function matteOfStep(step: Step): MatteLink | undefined {
  if (step.matte) return step.matte
  const declared = effectOf(step)?.feeds
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
  const step = stepId === undefined ? undefined : findStep(comp, stepId)
  const lane = comp.lanes.find((l) => l.id === laneId)
  const taps = tapsOf(step ? linksOfStep(step, laneId) : lane ? linksOfLane(lane) : [])
  for (const tap of taps) found.add(tap.after !== undefined && tap.after !== 'source' ? tap.after : tap.lane)
  for (const user of dependentsOf(comp, laneId, stepId)) found.add(user.stepId ?? user.laneId)
  if (!step && lane) {
    for (const child of comp.lanes) if (child.in === laneId) found.add(child.id)
    if (lane.in !== undefined) found.add(lane.in)
  }
  found.delete(laneId)
  return found
}

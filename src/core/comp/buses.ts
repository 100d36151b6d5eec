import { cutName } from './cut-name.ts'
import { freshId, lanesOfStep, withInside } from './edits.ts'

export { lanesOfStep, withInside } from './edits.ts'
import type { Comp, Lane } from './schema.ts'

// Lanes within lanes: where each stands, and what is in a bus.

/** Lanes with those in a bus directly behind it, in the order that they have among each other. */
export function ordered(lanes: readonly Lane[]): Lane[] {
  const inside = (bus: string | undefined): Lane[] =>
    lanes.filter((l) => l.in === bus).flatMap((l) => (l.source.type === 'lanes' ? [...inside(l.id), l] : [l]))
  const ids = new Set(lanes.map((l) => l.id))
  // Lanes that are parts of steps stand behind all others, those of one step together.
  const steps = new Set(lanes.flatMap((l) => (l.in === undefined || ids.has(l.in) ? [] : [l.in])))
  return [...inside(undefined), ...[...steps].flatMap(inside)]
}

/** Buses around a lane, the nearest first. */
export function busesAround(comp: Comp, laneId: string): string[] {
  const around = comp.lanes.find((l) => l.id === laneId)?.in
  return around === undefined || !comp.lanes.some((l) => l.id === around)
    ? []
    : [around, ...busesAround(comp, around)]
}

/** A lane in a bus, or in none. */
export const placedIn = (lane: Lane, bus: string | undefined): Lane => {
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
  const gone = new Set([laneId, ...lane.steps.flatMap((s) => lanesOfStep(comp, s.id))])
  const rest = comp.lanes.filter((l) => !gone.has(l.id))
  return { ...comp, lanes: ordered(rest.map((l) => (l.in === laneId ? placedIn(l, lane.in) : l))) }
}

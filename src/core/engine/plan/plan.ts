import { masterId } from '../../comp/edits.ts'
import type { MediaTable, Pass } from '../../comp/media.ts'
import { isTrack, type Comp, type Lane } from '../../comp/schema.ts'
import { expanded } from '../../recipes/expand.ts'
import { partArea, workArea, type Part, type Reduction, type Seen, type WorkArea } from '../work-area.ts'
import { fitting } from '../../comp/own-dials.ts'
import type { Follow, Measure } from '../../tracks/track.ts'
import type { Need, Reading, Readings } from '../readings.ts'
import { inside, joined, laneOf, masterLane, masterPoint, planPoints, pointIndex } from './plan-joins.ts'
import { fromFiner, hasWholeCells, mostMadeSmaller, type Finer } from './plan-finer.ts'
import type { PlanNode } from './plan-node.ts'
import { farReduction, partFor } from './plan-part.ts'
import { tableNode } from './plan-passes.ts'
import { inSpaceOf } from './plan-space.ts'
import { readOn, readWords, valueOn } from './plan-readings.ts'
import { targetNode, type Target } from './plan-targets.ts'
import { nearestFrame } from '../../time.ts'
import type { FinerPlanning, Planning, PlanProblem, StepInput } from './planning.ts'

/** What a plan makes for a target, and what it could not make. */
export interface Planned {
  readonly node: PlanNode
  readonly area: WorkArea
  readonly problems: readonly PlanProblem[]
  /** What has to be read first; until then settings that follow or measure have the values of their keys. */
  readonly needs: readonly Need[]
}

/** What all frames of a plan share. */
interface Shared {
  /** Where only a part of the frame is made. */
  readonly part?:
    | {
        readonly rect: Part
        readonly whole: Shared
        readonly far: Shared
        readonly reduction: Reduction
      }
    | undefined
  /** Larger sizes of which what is there is taken. */
  readonly finer?: SharedFiner | undefined
  readonly problems: PlanProblem[]
  /** By frame, lane and place in the lane. */
  readonly points: Map<string, PlanNode>
  /** Lanes that are being planned, with their frames, the outermost first. */
  readonly open: { readonly when: string; readonly laneId: string }[]
  readonly readings: Pick<Readings, 'find'>
  readonly needs: Map<string, Need>
  /** What is being read, so that what follows itself is found. */
  readonly reading: string[]
}

interface SharedFiner {
  readonly sizes: readonly { readonly reduction: Reduction; readonly shared: Shared }[]
  readonly isThere: Finer['isThere']
  readonly room: { pixels: number }
}

const finerAt = (
  comp: Comp,
  media: MediaTable,
  frame: number,
  { sizes, isThere, room }: SharedFiner,
  mediaFrame: number,
): FinerPlanning => ({
  sizes: sizes.map(({ reduction, shared }) => planningAt(comp, media, frame, reduction, shared, mediaFrame)),
  isThere,
  room,
})

/** Lane points are planned once for each frame that they are asked for, so that taps share them. */
function planningAt(
  comp: Comp,
  media: MediaTable,
  frame: number,
  reduction: Reduction,
  shared: Shared,
  mediaFrame = nearestFrame(frame),
): Planning & { readonly problems: readonly PlanProblem[] } {
  const { problems, points, open } = shared
  const when = `${frame}/${mediaFrame}`
  const pointKey = (lane: Lane, index: number) => `${when} ${lane.id} ${index}`
  const { part } = shared
  const finer = shared.finer && finerAt(comp, media, frame, shared.finer, mediaFrame)
  const area = part ? partArea(comp, part.rect) : workArea(comp, reduction)
  const planning: Planning = {
    comp,
    master: masterLane({ comp }),
    media,
    frame,
    mediaFrame,
    reduction,
    area,
    full: part ? area : workArea(comp, 1),
    part: part && {
      rect: part.rect,
      get whole() {
        return planningAt(comp, media, frame, 1, part.whole, mediaFrame)
      },
      get far() {
        return planningAt(comp, media, frame, part.reduction, part.far, mediaFrame)
      },
    },
    finer,
    report: (laneId, stepId, message) => {
      // What is planned at several times says it once.
      if (problems.some((p) => p.message === message && p.laneId === laneId && p.stepId === stepId)) return
      problems.push({ laneId, message, ...(stepId ? { stepId } : {}) })
    },
    at: (other, otherMedia = nearestFrame(other)) =>
      other === frame && otherMedia === mediaFrame
        ? planning
        : planningAt(comp, media, other, reduction, shared, otherMedia),
    knownPoint: (lane, after) => points.get(pointKey(lane, pointIndex(lane, after))),
    lanePoint: (lane, after) => {
      const index = pointIndex(lane, after)
      open.push({ when, laneId: lane.id })
      const remember = (i: number, made: PlanNode) => {
        points.set(pointKey(lane, i), made)
      }
      const known = (i: number) => {
        const planned = points.get(pointKey(lane, i))
        // A pass is as good at any size: it is kept as the mean of its pixels.
        if (planned || !finer || (i === 0 && lane.source.type === 'pass')) return planned
        const there = i === 0 ? 'source' : lane.steps[i - 1]!.id
        const stand = fromFiner(planning, (larger) => larger.lanePoint(lane, there))
        if (stand) remember(i, stand)
        return stand
      }
      const point = planPoints(planning, lane, index, known, remember)
      open.pop()
      return point
    },
    isOpen: (laneId) => open.some((o) => o.laneId === laneId && o.when === when),
    loopWords: (laneId) => {
      const from = open.findIndex((o) => o.laneId === laneId)
      const ids = [...open.slice(from).map((o) => o.laneId), laneId]
      return `Takes its picture from itself: ${ids.map((id) => laneOf(planning, id)?.name ?? id).join(' → ')}.`
    },
    joined: (bus, upTo) => joined(planning, bus, upTo),
    inside: (stepId) => inside(planning, stepId),
    stepInput: (stepId) => inputOf(planning, stepId),
    value: (setting, dial, by = { laneId: '' }) =>
      isTrack(setting) ? fitting(dial, valueOn(planning, setting, by)) : setting,
    read: (what, other, by) => {
      const name = `${other} ${JSON.stringify(what)}`
      if (shared.reading.includes(name)) {
        planning.report(by.laneId, by.stepId, `It follows itself: ${readWords(comp, what)}. Its keys count.`)
        return undefined
      }
      shared.reading.push(name)
      // Read at full size, whatever size the picture is made at; its own points, so that a lane may be read that is being planned.
      const isOwn = reduction === 1 && !part
      const own = {
        ...shared,
        part: undefined,
        finer: undefined,
        points: isOwn ? points : new Map<string, PlanNode>(),
        open: [],
      }
      const found = readOn(planningAt(comp, media, other, 1, own), what, other, by)
      shared.reading.pop()
      return found
    },
    need: (need) => {
      const known = shared.readings.find(need.key)
      if (!known) shared.needs.set(need.key, need)
      return known
    },
  }
  return { ...planning, problems }
}

const unread: Pick<Readings, 'find'> = { find: () => undefined }

function startPlanning(
  comp: Comp,
  media: MediaTable,
  frame: number,
  reduction: Reduction,
  readings: Pick<Readings, 'find'> = unread,
  seen?: Seen,
  finer?: Finer,
) {
  const needs = new Map<string, Need>()
  const all = { problems: [], readings, needs, reading: [] }
  const fresh = (): Shared => ({ ...all, points: new Map(), open: [] })
  const flat = expanded(comp)
  const sizes = (finer && hasWholeCells(comp, reduction) ? finer.reductions : [])
    .filter((r) => r < reduction)
    .map((r) => ({ reduction: r, shared: fresh() }))
    // A size of which no source is there is not in use, and not worth planning all steps for.
    .filter(({ reduction: r, shared }) => {
      const planning = planningAt(flat, media, frame, r, shared)
      return flat.lanes.some((lane) => finer!.isThere(planning.lanePoint(lane, 'source').key))
    })
  const whole: Shared = {
    ...fresh(),
    finer:
      finer && sizes.length > 0
        ? { sizes, isThere: finer.isThere, room: { pixels: mostMadeSmaller } }
        : undefined,
  }
  const planning = planningAt(flat, media, frame, reduction, whole)
  const rect = seen && reduction === 1 ? partFor(planning, seen) : undefined
  if (!rect) return { ...planning, needs }
  const part = { rect, whole, far: fresh(), reduction: farReduction(planning, seen!) }
  return { ...planningAt(flat, media, frame, 1, { ...fresh(), part }), needs }
}

/** The picture that comes to a step, and the step. */
function inputOf(p: Planning, stepId: string): StepInput | undefined {
  for (const { id, steps } of [...p.comp.lanes, { id: masterId, steps: p.comp.master }]) {
    const index = steps.findIndex((s) => s.id === stepId)
    if (index < 0) continue
    const before = index === 0 ? 'source' : steps[index - 1]!.id
    const lane = p.comp.lanes.find((l) => l.id === id)
    return {
      step: steps[index]!,
      laneId: id,
      picture: lane ? p.lanePoint(lane, before) : masterPoint(p, before),
    }
  }
  return undefined
}

/**
 * Turns a comp at a frame into the pictures to compute for a target. Pure; nothing is loaded or computed.
 * What is missing or unknown is left out and reported. At full size it may be for what is `seen` of the canvas alone, where that is less work: the area then
 * is that part, with as much around it as it needs. Of a picture that moves, what is there at a finer size may be taken from there.
 */
export function plan(
  comp: Comp,
  media: MediaTable,
  frame: number,
  reduction: Reduction,
  target: Target,
  readings?: Pick<Readings, 'find'>,
  seen?: Seen,
  finer?: Finer,
): Planned {
  return planAll(comp, media, frame, reduction, [target], readings, seen, finer)[0]!
}

/** The entries of the colour table that a comp is viewed through; undefined where there is none. */
export function planViewTable(
  comp: Comp,
  media: MediaTable,
  frame: number,
): { node: PlanNode; pass: Pass } | undefined {
  if (comp.viewing?.type !== 'table') return undefined
  const { table } = comp.viewing
  const node = tableNode(startPlanning(comp, media, frame, 1), table, '')
  const pass = media[table.media]?.passes.find((p) => p.name === table.pass)
  return node && pass && { node, pass }
}

/** What a setting would follow or measure on a frame; undefined while that needs something to be read. */
export function planReading(
  comp: Comp,
  media: MediaTable,
  frame: number,
  what: Follow['of'] | Measure,
  readings: Pick<Readings, 'find'>,
): { readonly reading: Reading | undefined; readonly needs: readonly Need[] } {
  const planning = startPlanning(comp, media, frame, 1, readings)
  const reading = planning.read(what, frame, { laneId: '' })
  return { reading, needs: [...planning.needs.values()] }
}

/** Plans several targets of one comp together, so that what they share is planned once. */
export function planAll(
  comp: Comp,
  media: MediaTable,
  frame: number,
  reduction: Reduction,
  targets: readonly Target[],
  readings?: Pick<Readings, 'find'>,
  seen?: Seen,
  finer?: Finer,
): Planned[] {
  const planning = startPlanning(comp, media, frame, reduction, readings, seen, finer)
  const nodes = targets.map((target) => targetNode(planning, target))
  const { area, problems } = planning
  const needs = [...planning.needs.values()]
  return nodes.map((n) => ({
    node: inSpaceOf(comp, n),
    area,
    problems: needs.length > 0 ? [] : problems,
    needs,
  }))
}

/** The joined picture behind each lane and with it, for the light meters; in the order of the lanes. */
export function planJoins(
  comp: Comp,
  media: MediaTable,
  frame: number,
  reduction: Reduction,
  readings?: Pick<Readings, 'find'>,
): (readonly [PlanNode, PlanNode])[] {
  const planning = startPlanning(comp, media, frame, reduction, readings)
  // For each lane what is behind it among its neighbours, and the same with it.
  const { lanes } = planning.comp
  return lanes.map((lane) => {
    const here = lanes.filter((l) => l.in === lane.in)
    const at = here.indexOf(lane)
    const [behind, withIt] = [planning.joined(lane.in, at), planning.joined(lane.in, at + 1)]
    return [inSpaceOf(comp, behind), inSpaceOf(comp, withIt)] as const
  })
}

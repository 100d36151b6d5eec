import { shapesAt } from '../../comp/drawing-at.ts'
import { masterId } from '../../comp/edits.ts'
import { ownDials } from '../../comp/own-dials.ts'
import type { Lane, Source, Step } from '../../comp/schema.ts'
import { effectOf } from '../../recipes/effect-of.ts'
import type { Affine } from '../../picture/affine.ts'
import { dialsOf } from './plan-dials.ts'
import type { Planning } from './planning.ts'

type Point = readonly [x: number, y: number]

/** Moments at which places are looked at. */
const looks = 9
/** How deep taps and buses are followed; what closes a loop is reported where it is planned. */
const deepest = 12

const moved = ([a, b, c, d, e, f]: Affine, points: readonly Point[]): Point[] =>
  points.map(([x, y]) => [a * x + b * y + c, d * x + e * y + f])

/** Points of what a source brings: of a drawing its own, of lanes those of the lanes, else the corners of the frame. */
function sourcePoints(p: Planning, source: Source, laneId: string, depth: number): Point[] {
  const { left, top, canvasWidth, canvasHeight } = p.area
  if (depth > deepest) return []
  if (source.type === 'drawing') {
    const drawing = p.comp.drawings.find((d) => d.id === source.drawing)
    const value = (setting: Parameters<Planning['value']>[0]) => p.value(setting, undefined, { laneId })
    const shapes = drawing ? shapesAt(drawing, p.frame, value, p.comp.canvas) : []
    return shapes.flatMap(({ path }) =>
      path.map(({ at }): Point => [at[0] / p.reduction + left, at[1] / p.reduction + top]),
    )
  }
  if (source.type === 'lanes')
    return p.comp.lanes.filter((l) => l.in === laneId).flatMap((l) => lanePoints(p, l, undefined, depth + 1))
  if (source.type === 'tap') {
    const lane = p.comp.lanes.find((l) => l.id === source.lane)
    return lane ? lanePoints(p, lane, source.after, depth + 1) : []
  }
  const [right, bottom] = [left + canvasWidth, top + canvasHeight]
  return [
    [left, top],
    [right, top],
    [right, bottom],
    [left, bottom],
  ]
}

function stepsMoved(
  p: Planning,
  steps: readonly Step[],
  points: readonly Point[],
  laneId: string,
  depth: number,
): Point[] {
  return steps.reduce<Point[]>(
    (now, step) => {
      if (step.recipe)
        return p.comp.lanes
          .filter((l) => l.in === step.id)
          .flatMap((l) => lanePoints(p, l, undefined, depth + 1))
      const effect = effectOf(step)
      if (!effect?.affine || !p.value(step.on, ownDials.on, { laneId, stepId: step.id })) return now
      return moved(effect.affine(dialsOf(p, step, effect, laneId) as never).matrix, now)
    },
    [...points],
  )
}

function lanePoints(p: Planning, lane: Lane, after: string | undefined, depth: number): Point[] {
  const end = after === undefined ? lane.steps.length : lane.steps.findIndex((s) => s.id === after) + 1
  return stepsMoved(p, lane.steps.slice(0, end), sourcePoints(p, lane.source, lane.id, depth), lane.id, depth)
}

/**
 * How far, in pixels of this plan, the farthest point goes that placings and drawings before a step move between two times, in frames
 * from this one. Drawings whose points change in number do not count.
 */
export function travelOf(p: Planning, laneId: string, stepId: string, from: number, to: number): number {
  const pointsAt = (frame: number) => {
    const there = p.at(frame, p.mediaFrame)
    const lane = p.comp.lanes.find((l) => l.id === laneId)
    const steps = laneId === masterId ? p.comp.master : (lane?.steps ?? [])
    const before = steps.slice(
      0,
      steps.findIndex((s) => s.id === stepId),
    )
    const points = lane
      ? sourcePoints(there, lane.source, lane.id, 0)
      : p.comp.lanes.filter((l) => l.in === undefined).flatMap((l) => lanePoints(there, l, undefined, 1))
    return stepsMoved(there, before, points, laneId, 1)
  }
  const all = Array.from({ length: looks }, (_, i) =>
    pointsAt(p.frame + from + ((to - from) * i) / (looks - 1)),
  )
  const count = all[0]!.length
  if (all.some((points) => points.length !== count)) return 0
  let farthest = 0
  for (let k = 0; k < count; k++) {
    let way = 0
    for (let i = 1; i < looks; i++)
      way += Math.hypot(all[i]![k]![0] - all[i - 1]![k]![0], all[i]![k]![1] - all[i - 1]![k]![1])
    farthest = Math.max(farthest, way)
  }
  return farthest
}

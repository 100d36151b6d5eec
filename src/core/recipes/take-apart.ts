import { ordered, placedIn } from '../comp/buses.ts'
import { freshId, masterId, placeOfStep } from '../comp/edits.ts'
import { pictureInput } from '../comp/recipe.ts'
import { mapLinks } from '../comp/references.ts'
import { allSteps, type Comp, type Lane, type Step } from '../comp/schema.ts'
import { connected, pointBefore, withMoves } from './expand.ts'
import { plainLane } from './make.ts'

// One step that is made of others, on the desk again: the picture stays the same.

/** Whether what is in a step is a row of steps on what comes in, so that they can stand in its place. */
const isRow = (tops: readonly Lane[]): boolean => {
  const [only] = tops
  return (
    tops.length === 1 &&
    only!.kind === 'picture' &&
    !only!.muted &&
    only!.time === undefined &&
    only!.source.type === 'input' &&
    only!.source.input === pictureInput &&
    only!.join.mode === 'over' &&
    only!.join.opacity === 1 &&
    only!.join.matte === undefined
  )
}

/**
 * The comp with what is in a step on the desk, and the same picture. A row of steps comes into its place; lanes come into a bus of their own, which the
 * step, now *Another picture*, shows where and as far as it acted. Of one that shows a part of it alone, all comes back.
 */
export function takeApart(comp: Comp, stepId: string): Comp {
  const place = placeOfStep(comp, stepId)
  if (!place?.step.recipe) return comp
  const moved = withMoves(comp, place.step)
  const { laneId, index, step } = placeOfStep(moved, stepId)!
  const picture = pointBefore(moved, stepId)
  const tops = moved.lanes.filter((l) => l.in === stepId)
  const tree = new Set<string>()
  const walk = (id: string) => {
    for (const l of moved.lanes) {
      if (l.in !== id) continue
      tree.add(l.id)
      walk(l.id)
    }
  }
  walk(stepId)
  const open = moved.lanes.map((l) => (tree.has(l.id) ? connected(l, step, picture) : l))
  const steps = laneId === masterId ? moved.master : moved.lanes.find((l) => l.id === laneId)!.steps
  const withSteps = (lanes: readonly Lane[], list: readonly Step[]): Comp => ({
    ...moved,
    lanes: ordered(lanes.map((l) => (l.id === laneId ? { ...l, steps: [...list] } : l))),
    master: laneId === masterId ? [...list] : moved.master,
  })
  if (isRow(tops) && step.amount === 1 && step.on === true && step.matte === undefined) {
    const inner = open.find((l) => l.id === tops[0]!.id)!
    const last = inner.steps.at(-1)?.id
    const next = withSteps(
      open.filter((l) => l !== inner),
      steps.toSpliced(index, 1, ...inner.steps),
    )
    // Points inside are points of the lane now.
    return mapLinks(next, (link) => {
      if (link.type !== 'tap') return link
      const end = last === undefined ? picture : ({ type: 'tap', lane: laneId, after: last } as const)
      if (link.lane === laneId && link.after === stepId) return end
      if (link.lane !== inner.id) return link
      if (link.after === 'source') return picture
      return link.after === undefined ? end : { type: 'tap', lane: laneId, after: link.after }
    })
  }
  const isOne = isRow(tops)
  const busId = isOne ? tops[0]!.id : freshId(moved, 'lane')
  const bus: Lane = { ...plainLane(busId, step.recipe!.name, { type: 'lanes' }, []), kind: 'matte' }
  const out = open.map((l): Lane => {
    if (l.in !== stepId) return l
    return isOne ? { ...placedIn(l, undefined), kind: 'matte' } : placedIn(l, busId)
  })
  const shown: Step = {
    id: step.id,
    effect: 'other-picture',
    on: step.on,
    amount: step.amount,
    dials: {},
    feeds: { with: { from: { type: 'tap', lane: busId } } },
    name: step.name ?? step.recipe!.name,
    ...(step.matte ? { matte: step.matte } : {}),
  }
  // Behind the lane that shows them.
  const own = out.filter((l) => tree.has(l.id))
  const rest = out.filter((l) => !tree.has(l.id))
  const at = rest.findIndex((l) => l.id === laneId)
  return withSteps(
    rest.toSpliced(at < 0 ? rest.length : at, 0, ...own, ...(isOne ? [] : [bus])),
    steps.with(index, shown),
  )
}

/** The comp with every step that is made of others taken apart: what it is when nothing is one step. */
export function allApart(comp: Comp): Comp {
  let next = comp
  for (let step; (step = allSteps(next).find((s) => s.recipe));) next = takeApart(next, step.id)
  return next
}

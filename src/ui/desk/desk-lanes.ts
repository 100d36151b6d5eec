import { masterId } from '../../core/comp/edits.ts'
import { allSteps, type Comp, type Lane } from '../../core/comp/schema.ts'
import { stepAround } from '../../core/recipes/expand.ts'

/** The step whose inside is on the desk: the last opened one that is still there; undefined for the desk itself. */
export function openedStep(comp: Comp, opened: readonly string[]): string | undefined {
  return opened.findLast((id) => allSteps(comp).some((s) => s.id === id && s.recipe))
}

/** The lanes that are on the desk: its own, or those of the step that is opened; as they stand in the comp. */
export function lanesHere(comp: Comp, opened: readonly string[]): Lane[] {
  const step = openedStep(comp, opened)
  return comp.lanes.filter((l) => stepAround(comp, l.id) === step)
}

/** Lists of steps as the desk stacks them: front lane first, the master last while nothing is opened. */
export function rowsHere(
  comp: Comp,
  opened: readonly string[],
): { id: string; steps: readonly { id: string }[] }[] {
  const lanes = lanesHere(comp, opened).toReversed()
  return openedStep(comp, opened) === undefined ? [...lanes, { id: masterId, steps: comp.master }] : lanes
}

/** A comp after an edit, with lanes that are new on the desk put inside the step that is opened. */
export function placedHere(before: Comp, after: Comp, opened: readonly string[]): Comp {
  const step = openedStep(before, opened)
  if (step === undefined || before.lanes === after.lanes || !allSteps(after).some((s) => s.id === step))
    return after
  const known = new Set(before.lanes.map((l) => l.id))
  const isNew = (lane: Lane) => lane.in === undefined && !known.has(lane.id)
  return after.lanes.some(isNew)
    ? { ...after, lanes: after.lanes.map((l) => (isNew(l) ? { ...l, in: step } : l)) }
    : after
}

import { placeOfStep } from '../../core/comp/edits.ts'
import type { ShotStore } from '../shot/shot-store.ts'

/** Puts the lanes that a step is made of on the desk; false where it is made of none. */
export function openStep(store: ShotStore, stepId: string): boolean {
  const { opened, comp, set } = store.getState()
  const place = placeOfStep(comp, stepId)
  if (!place?.step.recipe) return false
  const first = comp.lanes.findLast((l) => l.in === stepId)
  set({
    opened: [...opened, stepId],
    selection: first ? { lane: first.id } : { lane: place.laneId, step: stepId },
  })
  return true
}

export function openSelected(store: ShotStore): boolean {
  const step = store.getState().selection?.step
  return step !== undefined && openStep(store, step)
}

/** Goes back until so many steps are opened, and selects the one that was left. */
export function closeTo(store: ShotStore, depth: number): void {
  const { opened, comp, set } = store.getState()
  const left = opened[depth]
  const place = left === undefined ? undefined : placeOfStep(comp, left)
  set({
    opened: opened.slice(0, depth),
    ...(place ? { selection: { lane: place.laneId, step: left! } } : {}),
  })
}

export function closeOpened(store: ShotStore): void {
  closeTo(store, Math.max(0, store.getState().opened.length - 1))
}

import { editLane, editStep, masterId, placeOfStep, withoutSteps } from '../../core/comp/edits.ts'
import { allSteps, type Comp } from '../../core/comp/schema.ts'
import { findEffect } from '../../core/effects/registry.ts'
import type { Target } from '../../core/engine/plan/plan-targets.ts'
import type { Selection, ViewMode } from './shot-store.ts'

const givesLight = (effectId: string | undefined) =>
  effectId !== undefined && findEffect(effectId)?.kind === 'light'

/** The step whose light *light alone* shows: the selected one, else the last of the comp that gives light. */
export function lightStep(comp: Comp, selection: Selection | undefined): string | undefined {
  const selected = selection?.step ? placeOfStep(comp, selection.step)?.step : undefined
  if (selected && givesLight(selected.effect)) return selected.id
  return allSteps(comp).findLast((s) => s.on && givesLight(s.effect))?.id
}

/** The comp as it was before what is selected: without that step, without a lane's steps, or without any. */
export function compBefore(comp: Comp, selection: Selection | undefined): Comp {
  if (selection?.step)
    return editStep(comp, selection.step, (step) => {
      step.on = false
    })
  if (selection && selection.lane !== masterId)
    return editLane(comp, selection.lane, (lane) => {
      for (const step of lane.steps) step.on = false
    })
  return withoutSteps(comp)
}

/** The comp and target that a way of looking asks the engine for. */
export function viewTarget(
  comp: Comp,
  mode: ViewMode,
  selection: Selection | undefined,
): { comp: Comp; target: Target } {
  const step = mode === 'light' ? lightStep(comp, selection) : undefined
  if (step) return { comp, target: { type: 'light', step } }
  return { comp: mode === 'before' ? compBefore(comp, selection) : comp, target: { type: 'picture' } }
}

import { masterId, placeOfStep } from '../../core/comp/edits.ts'
import type { Comp } from '../../core/comp/schema.ts'
import { orderAdvice } from '../../core/effects/suggest.ts'
import { stepTitle } from './step-title.ts'

/** That a step would better stand before another of its lane, in words, and where that is; undefined where it stands well. */
export function adviceOn(
  comp: Comp,
  stepId: string,
): { readonly words: string; readonly at: number; readonly before: string } | undefined {
  const place = placeOfStep(comp, stepId)
  if (!place) return undefined
  const all = place.laneId === masterId ? comp.master : comp.lanes.find((l) => l.id === place.laneId)!.steps
  const steps = all.filter((s) => s.on !== false)
  const found = orderAdvice(steps).find((a) => a.step === stepId)
  const at = all.findIndex((s) => s.id === found?.before)
  if (!found || at < 0) return undefined
  const before = stepTitle(all[at]!)
  return { words: `It would better stand before ${before}. ${found.reason}`, at, before }
}

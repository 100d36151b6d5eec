import { dialProblem } from '../effects/dials.ts'
import { findEffect } from '../effects/registry.ts'
import type { Problem } from './problem.ts'
import { isAnimated, type Comp, type Step } from './schema.ts'

function stepProblems(step: Step, path: string): Problem[] {
  const effect = findEffect(step.effect)
  // An effect that is not known here is kept and marked on its tile; its dials are not ours to judge.
  if (!effect) return []
  return Object.entries(step.dials).flatMap(([key, setting]) => {
    const dial = effect.dials[key]
    const at = `${path}.dials.${key}`
    if (!dial) return [{ path: at, message: `is not a dial of ${effect.title}` }]
    if (!isAnimated(setting)) {
      const message = dialProblem(dial, setting)
      return message ? [{ path: at, message }] : []
    }
    return setting.keys.flatMap(({ value }, i) => {
      const message = dialProblem(dial, value)
      return message ? [{ path: `${at}.keys.${i}.value`, message }] : []
    })
  })
}

/** Every dial whose value its effect does not take, with the path of the value. */
export function dialProblems(comp: Comp): Problem[] {
  return [
    ...comp.lanes.flatMap((lane, l) =>
      lane.steps.flatMap((step, s) => stepProblems(step, `lanes.${l}.steps.${s}`)),
    ),
    ...comp.master.flatMap((step, s) => stepProblems(step, `master.${s}`)),
  ]
}

import { dialProblem } from '../dials/dials.ts'
import { findEffect } from '../effects/registry.ts'
import type { Problem } from './problem.ts'
import { isAnimated, type Comp, type Step } from './schema.ts'

function stepProblems(step: Step, path: string): Problem[] {
  const effect = findEffect(step.effect)
  // An effect that is not known here is kept and marked on its tile; its dials are not ours to judge.
  if (!effect) return []
  return Object.entries(step.dials).flatMap(([key, setting]) => {
    const dial = Object.hasOwn(effect.dials, key) ? effect.dials[key] : undefined
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

/** Further frames than anyone plays; each of them is drawn on the ruler. */
const [furthestFrame, mostFrames] = [10_000_000, 100_000]

/** Texts with half a character, and frames that no shot has: what can be thought of, but not kept. */
export function storeProblems(comp: Comp): Problem[] {
  const found: Problem[] = []
  const look = (value: unknown, path: string) => {
    if (typeof value === 'string') {
      if (!value.isWellFormed() || value.includes('\0'))
        found.push({ path, message: 'holds half a character; type it anew' })
    } else if (typeof value === 'object' && value !== null)
      for (const [key, inner] of Object.entries(value)) {
        const at = path === '' ? key : `${path}.${key}`
        look(key, at)
        look(inner, at)
      }
  }
  look(comp, '')
  const { first, last } = comp.frames
  if (Math.abs(first) > furthestFrame || Math.abs(last) > furthestFrame)
    found.push({ path: 'frames', message: `wants frames from −${furthestFrame} to ${furthestFrame}` })
  else if (last < first) found.push({ path: 'frames.last', message: `is before the first frame, ${first}` })
  else if (last - first >= mostFrames)
    found.push({ path: 'frames', message: `wants at most ${mostFrames} frames` })
  return found
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

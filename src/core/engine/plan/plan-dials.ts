import type { Setting, Step } from '../../comp/schema.ts'
import { defaultOn, scaledDial, type DialValue } from '../../dials/dials.ts'
import type { Effect } from '../../effects/effect.ts'
import type { Planning } from './planning.ts'

/** Values of a step's dials at this frame; px dials in pixels of the reduced frame. */
export function dialsOf(p: Planning, step: Step, effect: Effect, laneId = ''): Record<string, DialValue> {
  const by = { laneId, stepId: step.id }
  const at = { reduction: p.reduction, left: p.area.left, top: p.area.top }
  return Object.fromEntries(
    Object.entries(effect.dials).map(([key, dial]) => {
      // A step has nearly all of its dials: defaults are not made for those.
      const own = Object.hasOwn(step.dials, key) ? step.dials[key]! : defaultOn(dial, p.comp.canvas)
      return [key, scaledDial(dial, p.value(own as Setting, dial, by), at)]
    }),
  )
}

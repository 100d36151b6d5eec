import type { Step } from '../../comp/schema.ts'
import { scaledDial, type DialValue } from '../../dials/dials.ts'
import type { Effect } from '../../effects/effect.ts'
import { defaultDials } from '../../effects/registry.ts'
import type { Planning } from './planning.ts'

/** Values of a step's dials at this frame; px dials in pixels of the reduced frame. */
export function dialsOf(p: Planning, step: Step, effect: Effect, laneId = ''): Record<string, DialValue> {
  const all = { ...defaultDials(effect, p.comp.canvas), ...step.dials }
  return Object.fromEntries(
    Object.entries(effect.dials).map(([key, dial]) => {
      const value = p.value(all[key] as Step['dials'][string], dial, { laneId, stepId: step.id })
      return [key, scaledDial(dial, value, { reduction: p.reduction, left: p.area.left, top: p.area.top })]
    }),
  )
}

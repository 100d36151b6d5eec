import type { Step } from '../../core/comp/schema.ts'
import { effectOf } from '../../core/recipes/effect-of.ts'

/** What a step is called: its own name, its effect's, or the id of an effect that is not known here. */
export function stepTitle(step: Step): string {
  return step.name ?? effectOf(step)?.title ?? step.effect
}

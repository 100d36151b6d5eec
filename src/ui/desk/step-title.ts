import type { Step } from '../../core/comp/schema.ts'
import { findEffect } from '../../core/effects/registry.ts'

/** What a step is called: its own name, its effect's, or the id of an effect that is not known here. */
export function stepTitle(step: Step): string {
  return step.name ?? findEffect(step.effect)?.title ?? step.effect
}

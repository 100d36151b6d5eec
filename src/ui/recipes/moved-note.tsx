'use client'

import { findStep, type Comp, type Step } from '../../core/comp/schema.ts'
import { dialLabel } from '../../core/dials/dials.ts'
import { effectOf } from '../../core/recipes/effect-of.ts'
import { stepAround } from '../../core/recipes/expand.ts'
import { stepTitle } from '../desk/step-title.ts'
import { useShot, useShotContext } from '../shot/shot-context.tsx'
import { closeOpened } from './open-step.ts'

/** Dials of a step that the step around it moves, by its dials: what is set here does not count. */
export function movedDials(
  comp: Comp,
  step: Step,
  laneId: string,
): { readonly by: Step; readonly words: string } | undefined {
  const around = stepAround(comp, laneId)
  const by = around === undefined ? undefined : findStep(comp, around)
  const names = (by?.recipe?.dials ?? []).flatMap((dial) =>
    dial.moves.flatMap(({ setting }) => {
      if (!('step' in setting) || setting.step !== step.id) return []
      const own =
        setting.of === 'dial' ? dialLabel(setting.key, effectOf(step)?.dials[setting.key] ?? {}) : setting.of
      return [`${own} by ${dial.name}`]
    }),
  )
  return by && names.length > 0 ? { by, words: names.join(', ') } : undefined
}

/** Says so, and leads there. */
export function MovedNote({ step, laneId }: { step: Step; laneId: string }) {
  const { store } = useShotContext()
  const comp = useShot((s) => s.comp)
  const moved = movedDials(comp, step, laneId)
  if (!moved) return null
  return (
    <p className="rounded bg-base-300 px-2 py-1 text-xs text-base-content/75" data-testid="moved-note">
      Moved from outside: {moved.words}. What is set here for these does not count.{' '}
      <button
        type="button"
        className="link"
        onClick={() => {
          closeOpened(store)
          store.getState().selectStep(moved.by.id)
        }}
      >
        To {stepTitle(moved.by)}
      </button>
    </p>
  )
}

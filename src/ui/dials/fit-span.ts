import { editStep, placeOfStep } from '../../core/comp/edits.ts'
import type { ValueHistogram } from '../../core/engine/histogram.ts'
import { effectOf } from '../../core/recipes/effect-of.ts'
import type { EngineClient } from '../engine/engine-client.ts'
import type { ShotStore } from '../shot/shot-store.ts'

/** The value that a share of the counted ones lies below. */
export function quantile({ low, high, counts }: ValueHistogram, share: number): number {
  const all = counts.reduce((sum, n) => sum + n, 0)
  let before = 0
  for (const [i, n] of counts.entries()) {
    if (before + n >= share * all && n > 0)
      return low + ((i + (share * all - before) / n) / counts.length) * (high - low)
    before += n
  }
  return high
}

/** Shares of the picture that lie before each mark, to begin with: what is in front stays out of it, what is far is all in it. */
const beginAt: Readonly<Record<number, readonly number[]>> = { 1: [0.25], 2: [0.25, 0.92] }

/** Puts the marks of a step where the values of its feed lie on this frame; does nothing where there are none. */
export async function fitSpan(
  store: ShotStore,
  engine: EngineClient,
  stepId: string,
  gesture?: string,
): Promise<void> {
  const { comp, media, frame } = store.getState()
  const step = placeOfStep(comp, stepId)?.step
  const effect = effectOf(step)
  const span = effect?.span
  const marks = span?.marks(step!.dials as never) ?? []
  if (!span || !step!.feeds[span.feed] || marks.length === 0) return
  const found = await engine.values({ comp, media, frame }, { type: 'feed', step: stepId, feed: span.feed })
  if (!found || found.total === found.empty) return
  const shares = beginAt[marks.length] ?? []
  store.getState().edit(
    `Fit ${effect.title.toLowerCase()} to its ${span.feed}`,
    (c) =>
      editStep(c, stepId, (draft) => {
        for (const [i, mark] of marks.entries())
          draft.dials[mark] = Number(quantile(found, shares[i] ?? 0.5).toPrecision(3))
      }),
    gesture,
  )
}

import { findDrawing } from './drawing-edits.ts'
import { drawingsOf, findLoop } from './graph.ts'
import type { Comp, Lane } from './schema.ts'

/** Whether a lane's own content is the same; muting, solo, folding and the lock itself are not content. */
function isUntouched(before: Lane, after: Lane): boolean {
  return (
    before.name === after.name &&
    before.kind === after.kind &&
    before.source === after.source &&
    before.steps === after.steps &&
    before.join === after.join
  )
}

/** Why an edit can not be made, in words; undefined when it can. */
export function editProblem(before: Comp, after: Comp): string | undefined {
  for (const lane of before.lanes) {
    if (!lane.locked) continue
    const now = after.lanes.find((l) => l.id === lane.id)
    if (!now) return `${lane.name} is locked. Unlock it to remove it.`
    const isRedrawn = [...drawingsOf(lane)].some((id) => findDrawing(before, id) !== findDrawing(after, id))
    if (isRedrawn || (now !== lane && !isUntouched(lane, now)))
      return `${lane.name} is locked. Unlock it to change it.`
  }
  const loop = findLoop(after)
  // A loop that was there already must not keep anyone from cutting it.
  return loop && !findLoop(before)
    ? `That would make ${loop[0] ?? 'a lane'} take its picture from itself: ${loop.join(' → ')}. Nothing was changed.`
    : undefined
}

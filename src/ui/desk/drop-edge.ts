import type { Active, Over } from '@dnd-kit/core'

/** Whether what is dragged is over the upper half of a lane's row (in front of it) or the lower (behind it). */
export function dropEdge(active: Active, over: Over): 'front' | 'back' {
  const box = active.rect.current.translated
  const middle = box ? box.top + box.height / 2 : 0
  return middle < over.rect.top + over.rect.height / 2 ? 'front' : 'back'
}

import { addShape } from '../../core/comp/drawing-edits.ts'
import type { Path } from '../../core/comp/drawing.ts'
import { ellipse, rectangle } from '../../core/shapes/outline.ts'
import type { ShotStore } from '../shot/shot-store.ts'
import { roundVertex } from './vertices.ts'

/** Adds a shape to a drawing and selects it, as one edit; a path of one point is none. */
export function putShape(store: ShotStore, drawing: string, name: string, path: Path): void {
  if (path.length < 2) return
  const { edit, set, frame } = store.getState()
  let shape = ''
  edit(`Draw ${name.toLowerCase()}`, (c) => {
    const [next, made] = addShape(c, drawing, frame, name, path)
    shape = made
    return next
  })
  set({ draw: { drawing, tool: 'choose', shape, points: [] } })
}

/** An ellipse or a box in the middle of the frame, half as high: for those who have no pointer to draw with. */
export function putInMiddle(store: ShotStore, drawing: string, tool: 'ellipse' | 'box'): void {
  const { width, height } = store.getState().comp.canvas
  const half = height / 4
  const corners = [width / 2 - half, height / 2 - half, width / 2 + half, height / 2 + half] as const
  if (tool === 'ellipse') putShape(store, drawing, 'Ellipse', ellipse(...corners).map(roundVertex))
  else putShape(store, drawing, 'Box', rectangle(...corners))
}

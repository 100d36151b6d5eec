import { useEffect, useRef } from 'react'
import { editShapes, mapPoints, removePoints } from '../../core/comp/drawing-edits.ts'
import type { Path } from '../../core/comp/drawing.ts'
import { isTyping } from '../shortcuts/use-shortcut.ts'
import { useShot, useShotContext } from '../shot/shot-context.tsx'
import { drawnNow } from './use-drawing.ts'

/** What the keys act on: the outline of the pen that is not closed yet, and the shapes. */
interface Drafts {
  readonly pen: Path
  readonly setPen: (pen: Path) => void
  readonly closePen: () => void
  readonly select: (shape: string | undefined) => void
  readonly edit: (name: string, path: Path, gesture?: string) => void
}

/** The keys of a drawing that is worked on; they come before those of the desk. */
export function useShapeKeys({ pen, setPen, closePen, select, edit }: Drafts): void {
  const { store } = useShotContext()
  const frame = useShot((s) => s.frame)
  const keys = useRef<(event: KeyboardEvent) => boolean>(() => false)
  useEffect(() => {
    keys.current = (event) => {
      const now = drawnNow(store.getState())
      if (!now) return false
      const { draw, drawing, shape, path } = now
      const isUndo = (event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'z'
      if (pen.length > 0 && (isUndo || event.key === 'Backspace' || event.key === 'Delete')) {
        setPen(pen.slice(0, -1))
        return true
      }
      if (event.ctrlKey || event.metaKey || event.altKey) return false
      const nudge = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key]
      if (event.key === 'Enter' && pen.length > 0) closePen()
      else if (event.key === 'Escape') {
        if (pen.length > 0) setPen([])
        else if (draw.points.length > 0) select(shape?.id)
        else if (draw.tool !== 'choose') store.getState().set({ draw: { ...draw, tool: 'choose' } })
        else if (shape) select(undefined)
        else store.getState().set({ draw: undefined })
      } else if (!shape || !path || shape.locked) return false
      else if (event.key === 'Delete' || event.key === 'Backspace') {
        if (draw.points.length > 0)
          store
            .getState()
            .edit(`Remove points of ${shape.name}`, (c) =>
              removePoints(c, drawing.id, frame, shape.id, draw.points),
            )
        else
          store
            .getState()
            .edit(`Remove ${shape.name}`, (c) =>
              editShapes(c, drawing.id, frame, (all) => all.filter((s) => s.id !== shape.id)),
            )
        select(draw.points.length > 0 ? shape.id : undefined)
      } else if (nudge) {
        const by = event.shiftKey ? 10 : 1
        const points = draw.points.length > 0 ? draw.points : undefined
        edit(
          `Nudge ${shape.name}`,
          mapPoints(path, [1, 0, nudge[0]! * by, 0, 1, nudge[1]! * by], points),
          `nudge ${shape.id} ${event.repeat}`,
        )
      } else return false
      return true
    }
  })
  useEffect(() => {
    const press = (event: KeyboardEvent) => {
      if (isTyping(event.target)) return
      // What is selected on the desk keeps its own arrows; tools have none.
      const { key, target } = event
      if (
        key.startsWith('Arrow') &&
        target instanceof HTMLElement &&
        target.closest('[data-desk], button, input') &&
        !target.closest('[data-drawing-tools]')
      )
        return
      if (!keys.current(event)) return
      event.preventDefault()
      event.stopImmediatePropagation()
    }
    window.addEventListener('keydown', press, true)
    return () => {
      window.removeEventListener('keydown', press, true)
    }
  }, [])
}

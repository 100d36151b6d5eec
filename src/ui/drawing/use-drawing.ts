import { findDrawing } from '../../core/comp/drawing-edits.ts'
import type { Drawing, Path, Shape } from '../../core/comp/drawing.ts'
import { outlineAt, shapesOn } from '../../core/comp/drawing-at.ts'
import { useShot } from '../shot/shot-context.tsx'
import type { DrawState, ShotState } from '../shot/shot-store.ts'

/** The drawing that is worked on, and the shape of it that is selected, as it is at this frame. */
export interface Drawn {
  readonly draw: DrawState
  readonly drawing: Drawing
  readonly shape: Shape | undefined
  readonly path: Path | undefined
}

function drawnOf(
  draw: DrawState | undefined,
  drawing: Drawing | undefined,
  frame: number,
): Drawn | undefined {
  if (!draw || !drawing) return undefined
  const shape = shapesOn(drawing, frame).find((s) => s.id === draw.shape)
  return { draw, drawing, shape, path: shape && outlineAt(shape.path, frame) }
}

export function drawnNow({ draw, comp, frame }: ShotState): Drawn | undefined {
  return drawnOf(draw, draw && findDrawing(comp, draw.drawing), frame)
}

/** What drawnNow finds; parts of it are asked for one by one, so that nothing is drawn anew without need. */
export function useDrawing(): Drawn | undefined {
  const draw = useShot((s) => s.draw)
  const frame = useShot((s) => s.frame)
  const drawing = useShot((s) => s.draw && findDrawing(s.comp, s.draw.drawing))
  return drawnOf(draw, drawing, frame)
}

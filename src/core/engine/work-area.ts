import type { Comp } from '../comp/schema.ts'

/** How much smaller than the full frame an engine works: 1 full, 2 half, 4 a quarter. */
export type Reduction = 1 | 2 | 4

/** The canvas with its margin, in pixels of the reduced frame; the canvas begins at (margin, margin). */
export interface WorkArea {
  readonly width: number
  readonly height: number
  readonly marginPx: number
  readonly canvasWidth: number
  readonly canvasHeight: number
}

/** The margin is a multiple of four pixels of the full frame, so that it is whole at every reduction. */
export function workArea({ canvas }: Comp, reduction: Reduction): WorkArea {
  const marginPx = (Math.ceil((canvas.margin * Math.max(canvas.width, canvas.height)) / 4) * 4) / reduction
  const [canvasWidth, canvasHeight] = [
    Math.ceil(canvas.width / reduction),
    Math.ceil(canvas.height / reduction),
  ]
  return {
    width: canvasWidth + 2 * marginPx,
    height: canvasHeight + 2 * marginPx,
    marginPx,
    canvasWidth,
    canvasHeight,
  }
}

import type { Comp } from '../comp/schema.ts'

/** How much smaller than the full frame an engine works: 1 full, 2 half, 4 a quarter … */
export const reductions = [1, 2, 4, 8, 16, 32] as const
export type Reduction = (typeof reductions)[number]

/** The longer side of a picture that is made smaller than to a quarter, at the least. */
const leastSide = 240

const fullMargin = ({ canvas }: Comp) =>
  Math.ceil((canvas.margin * Math.max(canvas.width, canvas.height)) / 4) * 4

/** The sizes at which a comp may be worked on, full size first: below a quarter those at which much is still to be seen and its margin is whole. */
export function reductionsOf(comp: Comp): Reduction[] {
  const side = Math.max(comp.canvas.width, comp.canvas.height)
  return reductions.filter((r) => r <= 4 || (side / r >= leastSide && fullMargin(comp) % r === 0))
}

/** The smallest size at which the longer side has so many pixels, but no larger than `largest`. */
export function reductionFor(comp: Comp, side: number, largest: Reduction = 1): Reduction {
  const longer = Math.max(comp.canvas.width, comp.canvas.height)
  return reductionsOf(comp).findLast((r) => r <= largest || longer / r >= side) ?? largest
}

/** The canvas with its margin, in pixels of the reduced frame; the canvas begins at (margin, margin). */
export interface WorkArea {
  readonly width: number
  readonly height: number
  readonly marginPx: number
  readonly canvasWidth: number
  readonly canvasHeight: number
}

/** The margin is a multiple of four pixels of the full frame, so that it is whole at a half and a quarter. */
export function workArea(comp: Comp, reduction: Reduction): WorkArea {
  const { canvas } = comp
  const marginPx = fullMargin(comp) / reduction
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

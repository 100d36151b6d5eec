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

/** Canvases of more pixels are not made whole to be looked at closely: their pictures would fill the memory. */
const mostWhole = 16e6
export const isHuge = ({ canvas }: Comp): boolean => canvas.width * canvas.height > mostWhole

/** The largest of the smaller sizes at which a comp may be made whole. */
export function largestSmaller(comp: Comp): Reduction {
  const { width, height } = comp.canvas
  return reductionsOf(comp).find((r) => r > 1 && (width * height) / r ** 2 <= mostWhole) ?? 32
}

/** The canvas with its margin, or a part of that, in pixels of the reduced frame; the canvas begins at (left, top), which is below 0 in a part that begins later. */
export interface WorkArea {
  readonly width: number
  readonly height: number
  readonly left: number
  readonly top: number
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
    left: marginPx,
    top: marginPx,
    canvasWidth,
    canvasHeight,
  }
}

/** A rectangle of pixels. */
export interface Part {
  readonly x: number
  readonly y: number
  readonly width: number
  readonly height: number
}

/** What is seen of the canvas, in pixels of the full frame. */
export interface Seen extends Part {
  /** Light from far away is as fine as memory allows, rather than soon there. */
  readonly isFine?: boolean | undefined
}

export const isWithin = (inner: Part, outer: Part): boolean =>
  inner.x >= outer.x &&
  inner.y >= outer.y &&
  inner.x + inner.width <= outer.x + outer.width &&
  inner.y + inner.height <= outer.y + outer.height

/** A part of the full-size area, counted from the corner of its margin. */
export function partArea(comp: Comp, { x, y, width, height }: Part): WorkArea {
  const { left, top, canvasWidth, canvasHeight } = workArea(comp, 1)
  return { width, height, left: left - x, top: top - y, canvasWidth, canvasHeight }
}

/** What tells areas apart, for keys. */
export const areaKey = ({ width, height, left, top }: WorkArea): string =>
  `${width}x${height}+${left === top ? left : `${left},${top}`}`

import { isMiss } from './depth-miss.ts'

/** What a lens is set to: the distance in focus, the depth about it that is sharp, and its largest radii behind and in front, in pixels. */
export interface Focus {
  readonly focus: number
  readonly range: number
  readonly behind: number
  readonly inFront: number
}

/**
 * Radius of the blur at a distance, in pixels: positive in front of the focus, negative behind it. Behind it grows as that of a thin lens,
 * ∝ |d − f| / d, to its most at infinity; in front it does so to its most, which a lens passes at half the focus distance.
 * Distances of 0 and below count as nearest.
 */
export function outOfFocus(distance: number, { focus, range, behind, inFront }: Focus): number {
  if (isMiss(distance)) return -behind
  const half = range / 2
  if (Math.abs(distance - focus) <= half) return 0
  if (distance > focus) {
    const edge = focus + half
    return edge <= 0 ? -behind : -behind * (1 - edge / distance)
  }
  const edge = focus - half
  return distance <= 0 || edge <= 0 ? inFront : Math.min(inFront, inFront * (edge / distance - 1))
}

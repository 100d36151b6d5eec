/** Stands for "nothing was hit" in depth: finite, so that it can be computed with. The one value for it behind the door. */
export const depthMiss = 3.4028234663852886e38

/** Whether a depth says that nothing was hit; what is farther than anything can be counts, too. */
export function isMiss(depth: number): boolean {
  return depth >= 1e30
}

/** Further frames than anyone plays; each of them is drawn on the ruler. */
export const [furthestFrame, mostFrames] = [10_000_000, 100_000] as const

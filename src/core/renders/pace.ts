/** How fast frames come, and how long the rest takes. */
export interface Pace {
  readonly perMinute: number
  readonly leftMs: number
}

/** Frames that the pace is taken from: the last ones, since frames are not alike. */
const looked = 12

/**
 * The pace of the last frames: from when each was done, in milliseconds by rising time; undefined before the second one. Frames that took no time
 * (found as they were) do not make it faster than a thousand a second.
 */
export function paceOf(doneAt: readonly number[], left: number): Pace | undefined {
  const last = doneAt.slice(-looked)
  if (last.length < 2) return undefined
  const each = Math.max(1, (last.at(-1)! - last[0]!) / (last.length - 1))
  return { perMinute: 60_000 / each, leftMs: each * left }
}

/** '40 s', '12 min', '3 h 20 min'. */
export function durationWords(ms: number): string {
  const seconds = Math.max(1, Math.round(ms / 1000))
  if (seconds < 90) return `${seconds} s`
  const minutes = Math.round(seconds / 60)
  if (minutes < 90) return `${minutes} min`
  return `${Math.floor(minutes / 60)} h ${minutes % 60} min`
}

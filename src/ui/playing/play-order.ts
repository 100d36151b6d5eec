/** What happens at the end of what is played. */
export type PlayMode = 'loop' | 'once' | 'swing'

export interface PlayRange {
  readonly first: number
  readonly last: number
}

/** A place in what is played: a frame, and the direction that it is gone on in. */
export interface PlayPlace {
  readonly frame: number
  readonly by: 1 | -1
}

/** So many steps on from a place; undefined once it has ended. A place outside of the range begins at its start. */
export function playedOn(
  { frame, by }: PlayPlace,
  steps: number,
  { first, last }: PlayRange,
  mode: PlayMode,
): PlayPlace | undefined {
  const length = last - first + 1
  if (frame < first || frame > last) return { frame: first, by: 1 }
  if (length === 1) return mode === 'once' && steps > 0 ? undefined : { frame, by: 1 }
  const at = frame - first
  if (mode === 'once') return at + steps < length ? { frame: frame + steps, by: 1 } : undefined
  if (mode === 'loop') return { frame: first + ((at + steps) % length), by: 1 }
  // There and back: each end is shown once.
  const round = 2 * (length - 1)
  const place = ((by > 0 ? at : round - at) + steps) % round
  return place < length - 1 ? { frame: first + place, by: 1 } : { frame: first + round - place, by: -1 }
}

/** Frames in the order in which they will be played, from a place on, each once. */
export function playOrder(place: PlayPlace, range: PlayRange, mode: PlayMode): number[] {
  const { first, last } = range
  const from = Math.min(last, Math.max(first, place.frame))
  const ahead = Array.from({ length: last - from + 1 }, (_, i) => from + i)
  const behind = Array.from({ length: from - first }, (_, i) => first + i)
  if (mode !== 'swing') return [...ahead, ...behind]
  return place.by > 0 ? [...ahead, ...behind.toReversed()] : [...behind.toReversed(), ...ahead]
}

import type { SettingRef } from '../../core/comp/settings.ts'
import type { DialValue } from '../../core/dials/dials.ts'
import type { Key } from '../../core/tracks/track.ts'

/** Which settings have a strip: those that move, those of the lane or step that is selected, or all. */
export const shownSets = { moving: 'moving', lane: 'this lane', all: 'all' } as const
export type ShownSet = keyof typeof shownSets

/** A setting as a text, to find it by. */
export const refKey = (ref: SettingRef): string => JSON.stringify(ref)

/** Frames of the keys that are chosen, by setting. */
export type ChosenKeys = ReadonlyMap<string, readonly number[]>

/** How the Timing view is looked at. */
export interface TimingState {
  readonly shown: ShownSet
  /** Frames at the left and right end of the strips; undefined: the whole shot. */
  readonly span: readonly [number, number] | undefined
  /** The strip that is worked on, which is open. */
  readonly open: string | undefined
  readonly chosen: ChosenKeys
  /** Copied keys by the setting that they are of, from the first of all on. */
  readonly copied: readonly { readonly of: string; readonly keys: readonly Key[] }[]
}

export const firstTiming: TimingState = {
  shown: 'moving',
  span: undefined,
  open: undefined,
  chosen: new Map(),
  copied: [],
}

/** The frames that the strips show: half a frame more at each end, so that keys there can be taken hold of. */
export function spanOf(
  { span }: TimingState,
  { first, last }: { first: number; last: number },
): [number, number] {
  return span ? [span[0], span[1]] : [first - 0.5, Math.max(last, first + 1) + 0.5]
}

/** A span moved and stretched: `about` stays where it is; kept near the shot. */
export function zoomedSpan(
  [from, to]: readonly [number, number],
  factor: number,
  about: number,
  by: number,
  { first, last }: { first: number; last: number },
): readonly [number, number] {
  const length = Math.min(2 * Math.max(2, last - first + 1), Math.max(1, (to - from) * factor))
  const share = (about - from) / (to - from)
  const start = about - share * length + by
  const held = Math.min(last + 1 - length * 0.1, Math.max(first - 1 - length * 0.9, start))
  return [held, held + length]
}

/** A setting that is moved by hand while the shot plays. */
export interface Ridden {
  readonly ref: SettingRef
  readonly name: string
  /** Where the hand is now. */
  readonly value: DialValue
  readonly samples: readonly { readonly frame: number; readonly value: DialValue }[]
}

import type { DialValue } from '../dials/dials.ts'
import { without } from '../without.ts'
import { handlesBetween, settingAt, type TrackTime } from './track-at.ts'
import { parameterAt } from './bezier.ts'
import type { Handle, Key, Track } from './track.ts'

// Edits of a track: pure, and what a person means by them. Keys are named by their frames.

export type KeyValue = Key['value']
/** Keys nearer to each other than this are on one frame. */
const sameFrame = 1e-6
export const isAt = (key: Key, frame: number) => Math.abs(key.frame - frame) < sameFrame

/** How many numbers a value is made of; none for what can only be held. */
export function partsOf(value: KeyValue): number {
  if (typeof value === 'number') return 1
  return Array.isArray(value) && typeof value[0] === 'number' ? value.length : 0
}

export const partOf = (value: KeyValue, i: number) =>
  typeof value === 'number' ? value : (value as number[])[i]!

/** A value with each of its numbers changed; what has none stays. */
export function mapParts(value: KeyValue, change: (v: number, i: number) => number): KeyValue {
  if (typeof value === 'number') return change(value, 0)
  return partsOf(value) > 0 ? (value as number[]).map(change) : value
}

const still = { rate: 1, first: 0 } satisfies TrackTime
/** What the keys alone say at a frame. */
export const bare = (track: Track, frame: number) =>
  settingAt({ ...track, riders: [] }, frame, still) as KeyValue

/** A track that holds a value, with one key. */
export const trackOf = (value: DialValue, frame: number): Track => ({
  keys: [{ frame, value: value as KeyValue }],
})

/** Keys in order; of several on one frame the last that is named counts. */
function ordered(keys: readonly Key[]): Key[] {
  const sorted = keys
    .map((key, i) => ({ key, i }))
    .sort((a, b) => (Math.abs(a.key.frame - b.key.frame) < sameFrame ? a.i - b.i : a.key.frame - b.key.frame))
  return sorted.flatMap(({ key }, i) => {
    const next = sorted[i + 1]?.key
    return next && isAt(key, next.frame) ? [] : [key]
  })
}

/** The curve between two keys cut at a frame: the handles of the new key, and those of the two that are nearer now. */
function cut(
  from: Key,
  to: Key,
  frame: number,
): { out: Handle[]; in: Handle[]; next: Handle[]; back: Handle[] } {
  const made = { out: [] as Handle[], in: [] as Handle[], next: [] as Handle[], back: [] as Handle[] }
  const frames = to.frame - from.frame
  for (let i = 0; i < partsOf(from.value); i++) {
    const [out, back] = handlesBetween(from, to, i)
    const rise = partOf(to.value, i) - partOf(from.value, i)
    const s = parameterAt((frame - from.frame) / frames, out[0] / frames, 1 + back[0] / frames)
    const mix = (a: Handle, b: Handle): Handle => [a[0] + (b[0] - a[0]) * s, a[1] + (b[1] - a[1]) * s]
    const end: Handle = [frames, rise]
    const third: Handle = [frames + back[0], rise + back[1]]
    const [a, b, c] = [mix([0, 0], out), mix(out, third), mix(third, end)]
    const [d, e] = [mix(a, b), mix(b, c)]
    const f = mix(d, e)
    const from_ = (p: Handle, q: Handle): Handle => [p[0] - q[0], p[1] - q[1]]
    made.next.push(a)
    made.in.push(from_(d, f))
    made.out.push(from_(e, f))
    made.back.push(from_(c, end))
  }
  return made
}

/** A track with a key more, that changes nothing: a curve is cut in two there. One that is there already stays. */
export function insertKey(track: Track, frame: number): Track {
  const { keys } = track
  if (keys.some((k) => isAt(k, frame))) return track
  const at = keys.findIndex((k) => k.frame > frame)
  const value = bare(track, frame)
  const [from, to] = [keys[at < 0 ? keys.length - 1 : at - 1], keys[at]]
  const go = from?.go ? { go: from.go } : {}
  const place = at < 0 ? keys.length : at
  if (!from || !to || from.go !== 'curve' || track.along || track.mix || partsOf(value) === 0)
    return { ...track, keys: keys.toSpliced(place, 0, { frame, value, ...go }) }
  const { out, in: into, next, back } = cut(from, to, frame)
  const all = keys.toSpliced(at, 0, { frame, value, ...go, out: out as never, in: into as never })
  all[at - 1] = { ...from, out: next as never }
  all[at + 1] = { ...to, in: back as never }
  return { ...track, keys: all }
}

export const isHere = (track: Track, frame: number) => track.keys.findIndex((k) => isAt(k, frame))

/** How the value at a frame answers to a change: for each part, how much it grows when what `by` changes grows by one. */
function answers(
  track: Track,
  frame: number,
  time: TrackTime,
  by: (delta: number) => Track,
): { now: DialValue; slope: (i: number) => number } {
  const [now, then] = [settingAt(track, frame, time), settingAt(by(1), frame, time)]
  return {
    now,
    slope: (i) => partOf(then as KeyValue, i) - partOf(now as KeyValue, i),
  }
}

/** What follows or measures and so takes the place of the keys' values, moved by as much as the value is to change. */
function moveRider(track: Track, by: (i: number) => number): Track {
  const { riders = [] } = track
  const at = riders.findLastIndex(
    (r) => r.on && (r.type === 'follow' || (r.type === 'measure' && r.as === 'value')),
  )
  const rider = riders[at]
  if (rider?.type === 'follow')
    return {
      ...track,
      riders: riders.with(at, { ...rider, offset: [rider.offset[0] + by(0), rider.offset[1] + by(1)] }),
    }
  if (rider?.type === 'measure')
    return { ...track, riders: riders.with(at, { ...rider, to: [rider.to[0] + by(0), rider.to[1] + by(0)] }) }
  return track
}

const isMovedByRider = (track: Track) =>
  track.riders?.some((r) => r.on && (r.type === 'follow' || (r.type === 'measure' && r.as === 'value'))) ??
  false

/**
 * A track that has a value at a frame, whatever rides on it, by a key that is set or changed there. Of a point that follows, and a number
 * that is measured, the offset changes instead.
 */
export function setKey(track: Track, frame: number, value: DialValue, time: TrackTime): Track {
  const parts = partsOf(value as KeyValue)
  if (parts > 0 && isMovedByRider(track)) return shiftTo(track, frame, value, time)
  const ready = insertKey(track, frame)
  const at = isHere(ready, frame)
  const put = (to: KeyValue): Track => ({
    ...ready,
    keys: ready.keys.with(at, { ...ready.keys[at]!, value: to }),
  })
  if (parts === 0 || !ready.riders?.some((r) => r.on)) return put(value as KeyValue)
  const own = ready.keys[at]!.value
  const { now, slope } = answers(ready, frame, time, (d) => put(mapParts(own, (v) => v + d)))
  return put(
    mapParts(own, (v, i) => {
      const s = slope(i)
      const miss = partOf(value as KeyValue, i) - partOf(now as KeyValue, i)
      return Math.abs(s) > 1e-6 ? v + miss / s : partOf(value as KeyValue, i)
    }),
  )
}

/**
 * A track of which every key is moved alike, so that it has a value at the frame; of what can not be moved the key that rules there takes
 * it. Values go where `fit` says.
 */
export function shiftTo(
  track: Track,
  frame: number,
  value: DialValue,
  time: TrackTime,
  fit: (value: KeyValue) => KeyValue = (v) => v,
): Track {
  const parts = partsOf(value as KeyValue)
  if (parts === 0 || partsOf(track.keys[0]!.value) !== parts) {
    const ruling = Math.max(
      0,
      track.keys.findLastIndex((key) => key.frame <= frame),
    )
    const keys = track.keys.map((k, i) => (i === ruling ? { ...k, value: value as KeyValue } : k))
    return { ...track, keys }
  }
  const by = (delta: (i: number) => number): Track => ({
    ...track,
    keys: track.keys.map((k) => ({ ...k, value: mapParts(k.value, (v, i) => v + delta(i)) })),
  })
  const { now, slope } = answers(track, frame, time, (d) => by(() => d))
  const miss = (i: number) => partOf(value as KeyValue, i) - partOf(now as KeyValue, i)
  if (isMovedByRider(track)) return moveRider(track, miss)
  const moved = by((i) => (Math.abs(slope(i)) > 1e-6 ? miss(i) / slope(i) : miss(i)))
  const fitted = { ...moved, keys: moved.keys.map((k) => ({ ...k, value: fit(k.value) })) }
  return drawnTogether(track, moved, fitted, frame) ?? fitted
}

/**
 * Where a shift would take keys beyond what may be, the curve is drawn together towards that end instead, so that the value that was wanted is
 * there all the same. Undefined where nothing was held back, or that can not be.
 */
function drawnTogether(track: Track, moved: Track, fitted: Track, frame: number): Track | undefined {
  const parts = partsOf(track.keys[0]!.value)
  const factors = Array.from({ length: parts }, (_, i) => {
    const held = moved.keys.findIndex((k, at) => partOf(k.value, i) !== partOf(fitted.keys[at]!.value, i))
    if (held < 0) return undefined
    const end = partOf(fitted.keys[held]!.value, i)
    const [now, wanted] = [bare(track, frame), bare(moved, frame)].map((v) => partOf(v, i)) as [
      number,
      number,
    ]
    const factor = (wanted - end) / (now - end)
    return factor >= 0 && factor <= 1 ? { end, factor } : undefined
  })
  if (factors.every((one) => one === undefined)) return undefined
  const keys = track.keys.map((key, at): Key => {
    const draw = (handles: Key['out']) =>
      handles?.map(([f, v], i): [number, number] => [f, v * (factors[i]?.factor ?? 1)])
    const [out, back] = [draw(key.out), draw(key.in)]
    const value = mapParts(key.value, (v, i) => {
      const one = factors[i]
      return one ? one.end + (v - one.end) * one.factor : partOf(fitted.keys[at]!.value, i)
    })
    return { ...key, value, ...(out && { out }), ...(back && { in: back }) }
  })
  return { ...track, keys }
}

/** A track without the keys on some frames; undefined when none is left. */
export function removeKeys(track: Track, frames: readonly number[]): Track | undefined {
  const keys = track.keys.filter((k) => !frames.some((f) => isAt(k, f)))
  return keys.length > 0 ? { ...track, keys } : undefined
}

/** Keys on some frames changed; one that comes onto another takes its place. */
export function change(track: Track, frames: readonly number[], how: (key: Key) => Key): Track {
  const chosen = track.keys.filter((k) => frames.some((f) => isAt(k, f)))
  if (chosen.length === 0) return track
  return { ...track, keys: ordered([...track.keys.filter((k) => !chosen.includes(k)), ...chosen.map(how)]) }
}

/** Chosen keys moved in time and value; a value part by part. */
export function moveKeys(
  track: Track,
  frames: readonly number[],
  byFrames: number,
  byValue: readonly number[] = [],
): Track {
  return change(track, frames, (k) => ({
    ...k,
    frame: k.frame + byFrames,
    value: mapParts(k.value, (v, i) => v + (byValue[i] ?? 0)),
  }))
}

const scaled = (handles: Key['out'], factor: number) =>
  handles && { handles: handles.map(([f, v]) => [f * factor, v] as [number, number]) }

function stretched(key: Key, frame: number, factor: number): Key {
  const [into, out] = [scaled(key.in, factor), scaled(key.out, factor)]
  return { ...key, frame, ...(into && { in: into.handles }), ...(out && { out: out.handles }) }
}

/** Chosen keys stretched in time about a frame; a factor above 0. */
export function stretchKeys(track: Track, frames: readonly number[], about: number, factor: number): Track {
  return change(track, frames, (k) => stretched(k, about + (k.frame - about) * factor, factor))
}

/** Chosen keys in the opposite order, over the same time. */
export function reverseKeys(track: Track, frames: readonly number[]): Track {
  const chosen = track.keys.filter((k) => frames.some((f) => isAt(k, f)))
  if (chosen.length < 2) return track
  const [first, last] = [chosen[0]!, chosen.at(-1)!]
  const turned = (handles: Key['in']) => handles?.map(([f, v]) => [-f, v] as [number, number])
  const mirrored = chosen.map((k, i): Key => {
    const { in: into, out, bendIn, bendOut } = k
    const rest = without(k, 'go', 'in', 'out', 'bendIn', 'bendOut')
    // How it goes on is what led to it before.
    const go = i === 0 ? last.go : chosen[i - 1]!.go
    const [newIn, newOut] = [turned(out), turned(into)]
    return {
      ...rest,
      frame: first.frame + last.frame - k.frame,
      ...(go && { go }),
      ...(newIn && { in: newIn }),
      ...(newOut && { out: newOut }),
      ...(bendOut && { bendIn: bendOut }),
      ...(bendIn && { bendOut: bendIn }),
    }
  })
  return { ...track, keys: ordered([...track.keys.filter((k) => !chosen.includes(k)), ...mirrored]) }
}

/** Keys of a track as they are copied, from the first of all that are copied on. */
export function copyKeys(track: Track, frames: readonly number[], from: number): Key[] {
  return track.keys
    .filter((k) => frames.some((f) => isAt(k, f)))
    .map((k) => ({ ...k, frame: k.frame - from }))
}

/** Copied keys put in at a frame. */
export function pasteKeys(track: Track, keys: readonly Key[], at: number): Track {
  return { ...track, keys: ordered([...track.keys, ...keys.map((k) => ({ ...k, frame: k.frame + at }))]) }
}

/** Chosen keys brought half way to the straight line between their neighbours; the first and last stay. */
export function evenOut(track: Track, frames: readonly number[]): Track {
  const { keys } = track
  const evened = keys.map((k, i) => {
    const [before, after] = [keys[i - 1], keys[i + 1]]
    if (!before || !after || !frames.some((f) => isAt(k, f))) return k
    const t = (k.frame - before.frame) / (after.frame - before.frame)
    const rest = without(k, 'in', 'out')
    return {
      ...rest,
      value: mapParts(k.value, (v, p) => {
        const [a, b] = [partOf(before.value, p), partOf(after.value, p)]
        return (v + a + (b - a) * t) / 2
      }),
    }
  })
  return { ...track, keys: evened }
}

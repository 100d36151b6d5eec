import { rec709, type WorkingSpace } from '../colour/working.ts'
import type { DialValue } from '../dials/dials.ts'
import { mixOklab } from '../picture/oklab.ts'
import { cubicAt, parameterAt } from './bezier.ts'
import { flickerAt } from './flicker.ts'
import { pathAt } from './path-at.ts'
import {
  isTrack,
  type Beyond,
  type Follow,
  type Handle,
  type Key,
  type Measure,
  type Rider,
  type Setting,
  type Track,
} from './track.ts'

/** What a track reads besides its keys. */
export interface TrackTime {
  /** Frames a second. */
  readonly rate: number
  /** What colours are; linear Rec.709 where left out. */
  readonly space?: WorkingSpace
  /** Nothing is measured before it. */
  readonly first: number
  /** Where what is followed is, and how bright what is measured is, at a whole frame; undefined where it is not known. */
  readonly read?: (what: Follow['of'] | Measure, frame: number) => readonly number[] | undefined
}

/** Time of a shot in which nothing is followed or measured. */
export const plainTime = ({ first, rate }: { first: number; rate: number }): TrackTime => ({ first, rate })

const isNumbers = (value: DialValue): value is readonly number[] =>
  Array.isArray(value) && value.every((v) => typeof v === 'number')

/** Numbers and lists of numbers changed part by part; all else stays. */
function eachPart(value: DialValue, change: (v: number, i: number) => number): DialValue {
  if (typeof value === 'number') return change(value, 0)
  return isNumbers(value) ? value.map(change) : value
}

const partOf = (value: DialValue, i: number) =>
  typeof value === 'number' ? value : (value as readonly number[])[i]!
const areAlike = (a: DialValue, b: DialValue) =>
  (typeof a === 'number' && typeof b === 'number') || (isNumbers(a) && isNumbers(b) && a.length === b.length)

/** A handle no longer than its stretch, so that time does not run back; it keeps its direction. */
function within([frames, value]: Handle, most: number): Handle {
  const long = Math.abs(frames)
  return long > most ? [(frames / long) * most, (value / long) * most] : [frames, value]
}

/** The handles of one part of the curve between two keys; those that are not said lie a third along the straight way. */
export function handlesBetween(from: Key, to: Key, part: number): readonly [out: Handle, back: Handle] {
  const frames = to.frame - from.frame
  const rise = partOf(to.value, part) - partOf(from.value, part)
  const [out, back] = [from.out?.[part], to.in?.[part]]
  return [
    out ? within(out, frames) : [frames / 3, rise / 3],
    back ? within(back, frames) : [-frames / 3, -rise / 3],
  ]
}

function curved(from: Key, to: Key, part: number, frame: number): number {
  const frames = to.frame - from.frame
  const [v0, v3] = [partOf(from.value, part), partOf(to.value, part)]
  // As `handlesBetween` says; without lists, since a shot reads thousands of them for each frame.
  const [out, back] = [from.out?.[part], to.in?.[part]]
  const third = (v3 - v0) / 3
  const outBy = out && out[0] > frames ? frames / out[0] : 1
  const backBy = back && -back[0] > frames ? frames / -back[0] : 1
  const x1 = out ? (out[0] * outBy) / frames : 1 / 3
  const x2 = back ? 1 + (back[0] * backBy) / frames : 2 / 3
  const s = parameterAt((frame - from.frame) / frames, x1, x2)
  return cubicAt(s, v0, v0 + (out ? out[1] * outBy : third), v3 + (back ? back[1] * backBy : -third), v3)
}

function betweenKeys(from: Key, to: Key, frame: number, mix: Track['mix'], space: WorkingSpace): DialValue {
  const value = from.value as DialValue
  const next = to.value as DialValue
  if (from.go === 'hold' || !areAlike(value, next)) return value
  if (from.go === 'curve' && typeof value === 'number') return curved(from, to, 0, frame)
  const t = (frame - from.frame) / (to.frame - from.frame)
  if (mix === 'oklab' && isNumbers(value) && value.length === 3) {
    // The handles of its first part say when; the colours themselves are the keys'.
    const when = from.go === 'curve' ? progressOf(from, to, t) : t
    return mixOklab(space, value as [number, number, number], next as [number, number, number], when)
  }
  if (from.go === 'curve') return eachPart(value, (_, i) => curved(from, to, i, frame))
  return eachPart(value, (v, i) => v + (partOf(next, i) - v) * t)
}

/** How far a curve has come at a share of its time, by the frames of its first handles alone. */
function progressOf(from: Key, to: Key, t: number): number {
  const frames = to.frame - from.frame
  const [out, back] = [from.out?.[0]?.[0] ?? frames / 3, to.in?.[0]?.[0] ?? -frames / 3]
  const s = parameterAt(t, Math.min(1, out / frames), Math.max(0, 1 + back / frames))
  return cubicAt(s, 0, 0, 1, 1)
}

/** The place of the last key that is not after a frame. */
function keyBefore(keys: readonly Key[], frame: number): number {
  let [low, high] = [0, keys.length - 1]
  while (low < high) {
    const middle = (low + high + 1) >> 1
    if (keys[middle]!.frame <= frame) low = middle
    else high = middle - 1
  }
  return low
}

/** The value at a frame from the first to the last key. */
function inside(track: Track, frame: number, space = rec709): DialValue {
  const { keys, mix, along } = track
  if (along && isNumbers(keys[0]!.value)) return pathAt(track, frame)
  const i = keyBefore(keys, frame)
  const [from, to] = [keys[i]!, keys[i + 1]]
  return to ? betweenKeys(from, to, frame, mix, space) : from.value
}

/** How much the value grows in a frame at an end of the keys. */
function slopeAt(track: Track, end: 'first' | 'last', part: number): number {
  const { keys, along } = track
  const [from, to] = end === 'first' ? [keys[0]!, keys[1]!] : [keys.at(-2)!, keys.at(-1)!]
  if (from.go === 'hold') return 0
  const frames = to.frame - from.frame
  if (along) {
    const step = frames / 4096
    const [a, b] = end === 'first' ? [from.frame, from.frame + step] : [to.frame - step, to.frame]
    return (partOf(inside(track, b), part) - partOf(inside(track, a), part)) / step
  }
  const rise = partOf(to.value, part) - partOf(from.value, part)
  if (from.go !== 'curve') return rise / frames
  const [out, back] = handlesBetween(from, to, part)
  // Towards the next of the four points that is elsewhere in time.
  const ways: readonly Handle[] =
    end === 'first'
      ? [out, [frames + back[0], rise + back[1]], [frames, rise]]
      : [
          [-back[0], -back[1]],
          [frames - out[0], rise - out[1]],
          [frames, rise],
        ]
  const way = ways.find(([f]) => f > 1e-9)!
  return way[1] / way[0]
}

/** The value of keys alone, wherever the frame lies. */
function keyed(track: Track, frame: number, { space = rec709 }: Pick<TrackTime, 'space'>): DialValue {
  const { keys } = track
  const [first, last] = [keys[0]!, keys.at(-1)!]
  const isBefore = frame < first.frame
  if (!isBefore && frame <= last.frame) return inside(track, frame, space)
  const end = (isBefore ? first : last).value as DialValue
  const length = last.frame - first.frame
  const how: Beyond = (isBefore ? track.before : track.after) ?? 'hold'
  if (length === 0 || how === 'hold') return end
  if (how === 'straight') {
    if (!areAlike(end, keys[isBefore ? 1 : keys.length - 2]!.value)) return end
    const far = frame - (isBefore ? first : last).frame
    return eachPart(end, (v, i) => v + far * slopeAt(track, isBefore ? 'first' : 'last', i))
  }
  const rounds = Math.floor((frame - first.frame) / length)
  const rest = frame - first.frame - rounds * length
  if (how === 'swing' && rounds % 2 !== 0) return inside(track, last.frame - rest, space)
  const value = inside(track, first.frame + rest, space)
  if (how !== 'add' || !areAlike(first.value, last.value)) return value
  return eachPart(value, (v, i) => {
    return v + rounds * (partOf(last.value, i) - partOf(first.value, i))
  })
}

/** What was read at a frame that may lie between two. */
function readAt({ read }: TrackTime, what: Follow['of'] | Measure, frame: number) {
  const whole = Math.floor(frame)
  const here = read?.(what, whole)
  if (whole === frame || !here) return here
  const next = read?.(what, whole + 1)
  return next ? here.map((v, i) => v + (next[i]! - v) * (frame - whole)) : here
}

/**
 * The measured value mapped from its range to the other, and held at its ends. With a lag of n frames it is the mean of the frames
 * before, each n / (n + 1) as heavy as the one after it; so it comes n frames later. Undefined where it is not known.
 */
function measuredAt(rider: Measure, frame: number, time: TrackTime): number | undefined {
  const { lag, from, to } = rider
  const back = lag > 0 ? Math.ceil(12 * lag) : 0
  let [sum, weights, weight] = [0, 0, 1]
  for (let k = 0; k <= back && (k === 0 || frame - k >= time.first); k++) {
    const value = readAt(time, rider, frame - k)?.[0]
    if (value === undefined) return undefined
    sum += weight * value
    weights += weight
    weight *= lag / (lag + 1)
  }
  const share = from[1] === from[0] ? 0 : (sum / weights - from[0]) / (from[1] - from[0])
  return to[0] + (to[1] - to[0]) * Math.min(1, Math.max(0, share))
}

function ridden(
  track: Track,
  riders: readonly Rider[],
  count: number,
  frame: number,
  time: TrackTime,
): DialValue {
  if (count === 0) return keyed(track, frame, time)
  const rider = riders[count - 1]!
  const below = (at: number) => ridden(track, riders, count - 1, at, time)
  if (!rider.on) return below(frame)
  const start = track.keys[0]!.frame
  switch (rider.type) {
    case 'step':
      return below(start + Math.floor((frame - start) / rider.frames) * rider.frames)
    case 'shift':
      return eachPart(below(start + (frame - start - rider.frames) * rider.speed), (v) => {
        return v * rider.times + rider.plus
      })
    case 'flicker': {
      const noise = (i: number) =>
        rider.amount * flickerAt(frame / time.rate, rider.rate, rider.roughness, rider.seed + i * 104729)
      const value = below(frame)
      // A colour gets brighter and darker as a whole; what else has parts moves in each by itself.
      if (isNumbers(value) && value.length === 3) return value.map((v) => v * (1 + noise(0)))
      return eachPart(value, (v, i) => v + noise(i))
    }
    case 'follow': {
      const centre = readAt(time, rider.of, frame)
      if (!centre) return below(frame)
      return eachPart(below(frame), (_, i) => centre[i]! + rider.offset[i]!)
    }
    case 'measure': {
      const value = measuredAt(rider, frame, time)
      if (value === undefined) return below(frame)
      return eachPart(below(frame), (v) => {
        return rider.as === 'value' ? value : rider.as === 'times' ? v * value : v + value
      })
    }
  }
}

/** The value of a setting at a frame: the constant, or what its keys and all that rides on them make. */
export function settingAt(setting: Setting, frame: number, time: TrackTime): DialValue {
  if (!isTrack(setting)) return setting
  const { riders } = setting
  return riders ? ridden(setting, riders, riders.length, frame, time) : keyed(setting, frame, time)
}

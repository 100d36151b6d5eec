import { handlesBetween } from './track-at.ts'
import { without } from '../without.ts'
import { change, isAt, isHere, partOf, partsOf } from './track-edits.ts'
import type { Go, Handle, Key, Track } from './track.ts'

// How keys go on to the next, and the handles of their curves.

/** How chosen keys go on. A curve begins smooth: its handles lie along the line from the key before to the one after. */
export function setGo(track: Track, frames: readonly number[], go: Go): Track {
  const { keys } = track
  const set = keys.map((k, i): Key => {
    if (!frames.some((f) => isAt(k, f))) return k
    if (go === 'hold') return { ...k, go }
    const rest = without(k, 'go', 'in', 'out', 'broken')
    if (go === 'straight') return rest
    return { ...rest, go, ...smoothHandles(keys, i) }
  })
  // The key after one that is bent takes the other end of the curve.
  return {
    ...track,
    keys: set.map((k, i) =>
      set[i - 1]?.go === 'curve' && !k.in ? { ...k, ...smoothHandles(set, i, 'in') } : k,
    ),
  }
}

function smoothHandles(keys: readonly Key[], i: number, only?: 'in'): Pick<Key, 'in' | 'out'> {
  const [before, key, after] = [keys[i - 1], keys[i]!, keys[i + 1]]
  const parts = Array.from({ length: partsOf(key.value) }, (_, p) => p)
  const slope = (p: number) =>
    before && after ? (partOf(after.value, p) - partOf(before.value, p)) / (after.frame - before.frame) : 0
  const handle = (frames: number) => parts.map((p) => [frames, frames * slope(p)] as [number, number])
  if (parts.length === 0) return {}
  return {
    ...(before && { in: handle((before.frame - key.frame) / 3) }),
    ...(after && only !== 'in' && { out: handle((after.frame - key.frame) / 3) }),
  }
}

/** A handle of one part of a key put elsewhere; joined ones turn together. Frames that would make time run back become 0. */
export function setHandle(
  track: Track,
  frame: number,
  side: 'in' | 'out',
  part: number,
  [frames, value]: Handle,
): Track {
  const at = isHere(track, frame)
  const key = track.keys[at]
  if (!key) return track
  const other = side === 'in' ? 'out' : 'in'
  const neighbour = track.keys[side === 'in' ? at - 1 : at + 1]
  const all = (of: 'in' | 'out', to: Key | undefined): Handle[] => {
    const third = to ? (to.frame - key.frame) / 3 : of === 'in' ? -1 : 1
    const rise = (p: number) => (to ? (partOf(to.value, p) - partOf(key.value, p)) / 3 : 0)
    return Array.from({ length: partsOf(key.value) }, (_, p) => key[of]?.[p] ?? [third, rise(p)])
  }
  const held = side === 'in' ? Math.min(0, frames) : Math.max(0, frames)
  const moved = all(side, neighbour).with(part, [held, value])
  const across = track.keys[side === 'in' ? at + 1 : at - 1]
  const turned = () => {
    const list = all(other, across)
    const [length] = list[part]!
    const slope = Math.abs(held) > 1e-9 ? value / held : 0
    return list.with(part, [length, length * slope])
  }
  const next: Key = { ...key, [side]: moved, ...(!key.broken && across && { [other]: turned() }) }
  return { ...track, keys: track.keys.with(at, next) }
}

/**
 * Bends the curve at chosen keys: the handle towards the next key, or of the last one that towards the key before, by so many frames longer (never
 * back in time) and so much steeper in value, in every part; joined ones turn together. Where a key does not go on in a curve, it does from now on.
 */
export function bendKeys(track: Track, frames: readonly number[], longer: number, steeper: number): Track {
  return frames.reduce((made, frame) => {
    const at = isHere(made, frame)
    if (!made.keys[at]) return made
    const side = made.keys[at + 1] ? 'out' : 'in'
    const begins = side === 'out' ? at : at - 1
    if (!made.keys[begins]) return made
    const curve = made.keys[begins].go === 'curve' ? made : setGo(made, [made.keys[begins].frame], 'curve')
    const [from, to] = [curve.keys[begins]!, curve.keys[begins + 1]!]
    const parts = partsOf(from.value)
    if (parts === 0 || parts !== partsOf(to.value)) return made
    return Array.from({ length: parts }, (_, part) => part).reduce((next, part) => {
      const [out, back] = handlesBetween(next.keys[begins]!, next.keys[begins + 1]!, part)
      const by = side === 'out' ? 1 : -1
      const [length, value] = side === 'out' ? out : back
      return setHandle(next, frame, side, part, [length + by * longer, value + by * steeper])
    }, curve)
  }, track)
}

/** The two handles of chosen keys turned each by itself, or together. */
export function setBroken(track: Track, frames: readonly number[], isBroken: boolean): Track {
  return change(track, frames, (k) => (isBroken ? { ...k, broken: true } : without(k, 'broken')))
}

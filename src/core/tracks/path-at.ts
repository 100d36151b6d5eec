import { cubicAt, parameterAt } from './bezier.ts'
import type { Key, Track } from './track.ts'

type Point = readonly [x: number, y: number]

/** How finely a bent stretch is measured. */
const parts = 512

interface Stretch {
  readonly length: number
  /** The point after a share of the length. */
  at(share: number): Point
}

const sum = (a: Point, b: Point): Point => [a[0] + b[0], a[1] + b[1]]

/** Tracks along a path hold points alone. */
const pointOf = ({ value }: Key): Point => value as unknown as Point

function stretchOf(from: Key, to: Key): Stretch {
  const [p0, p3] = [pointOf(from), pointOf(to)]
  if (!from.bendOut && !to.bendIn)
    return {
      length: Math.hypot(p3[0] - p0[0], p3[1] - p0[1]),
      at: (s) => [p0[0] + (p3[0] - p0[0]) * s, p0[1] + (p3[1] - p0[1]) * s],
    }
  const [p1, p2] = [sum(p0, from.bendOut ?? [0, 0]), sum(p3, to.bendIn ?? [0, 0])]
  const point = (s: number): Point => [
    cubicAt(s, p0[0], p1[0], p2[0], p3[0]),
    cubicAt(s, p0[1], p1[1], p2[1], p3[1]),
  ]
  const way = new Float64Array(parts + 1)
  let last = p0
  for (let i = 1; i <= parts; i++) {
    const next = point(i / parts)
    way[i] = way[i - 1]! + Math.hypot(next[0] - last[0], next[1] - last[1])
    last = next
  }
  const length = way[parts]!
  return {
    length,
    at(share) {
      const wanted = share * length
      let [low, high] = [0, parts]
      while (high - low > 1) {
        const middle = (low + high) >> 1
        if (way[middle]! <= wanted) low = middle
        else high = middle
      }
      const step = way[high]! - way[low]!
      return point((low + (step > 0 ? (wanted - way[low]!) / step : 0)) / parts)
    },
  }
}

/** Stretches of a path, measured once for each list of keys. */
const measured = new WeakMap<readonly Key[], readonly Stretch[]>()

function stretchesOf(keys: readonly Key[]): readonly Stretch[] {
  const known = measured.get(keys)
  if (known) return known
  const made = keys.slice(1).map((key, i) => stretchOf(keys[i]!, key))
  measured.set(keys, made)
  return made
}

/** How far along a stretch a key's curve is at a share of its time: its handles' first parts, in frames and share of the way. */
function progress(from: Key, to: Key, time: number): number {
  if (from.go === 'hold') return 0
  if (from.go !== 'curve') return time
  const frames = to.frame - from.frame
  const [out, back] = [from.out?.[0], to.in?.[0]]
  const x1 = out ? Math.min(1, out[0] / frames) : 1 / 3
  const x2 = back ? Math.max(0, 1 + back[0] / frames) : 2 / 3
  return cubicAt(parameterAt(time, x1, x2), 0, out ? out[1] : 1 / 3, 1 + (back ? back[1] : -1 / 3), 1)
}

/** Where a point that moves along a path is at a frame from its first to its last key. */
export function pathAt({ keys, along }: Track, frame: number): Point {
  const stretches = stretchesOf(keys)
  const [first, last] = [keys[0]!, keys.at(-1)!]
  if (stretches.length === 0) return first.value as unknown as Point
  if (along === 'even') {
    const whole = stretches.reduce((length, s) => length + s.length, 0)
    let rest = ((frame - first.frame) / (last.frame - first.frame)) * whole
    for (const [i, stretch] of stretches.entries()) {
      if (rest <= stretch.length || i === stretches.length - 1)
        return stretch.at(stretch.length > 0 ? Math.min(1, rest / stretch.length) : 0)
      rest -= stretch.length
    }
  }
  const i = Math.min(stretches.length - 1, Math.max(0, keys.findIndex((k) => k.frame > frame) - 1))
  const at = frame >= last.frame ? stretches.length - 1 : i
  const [from, to] = [keys[at]!, keys[at + 1]!]
  return stretches[at]!.at(
    Math.min(1, Math.max(0, progress(from, to, (frame - from.frame) / (to.frame - from.frame)))),
  )
}

/** The path as points for a line on the picture: so many on each stretch. */
export function pathLine({ keys }: Track, perStretch = 24): Point[] {
  const stretches = stretchesOf(keys)
  const points = stretches.flatMap((s) => Array.from({ length: perStretch }, (_, i) => s.at(i / perStretch)))
  return [...points, keys.at(-1)!.value as unknown as Point]
}

import { without } from '../without.ts'
import { settingAt, type TrackTime } from './track-at.ts'
import { bare, partOf, partsOf, type KeyValue } from './track-edits.ts'
import { isTrack, type Key, type Setting, type Track } from './track.ts'

// Values from frame to frame as few keys.

/** A setting without what rides on it: its values on whole frames as keys, as few as stay within a tolerance. */
export function baked(
  setting: Setting,
  first: number,
  last: number,
  time: TrackTime,
  tolerance: number,
): Track {
  const samples = Array.from({ length: Math.max(1, last - first + 1) }, (_, i) => ({
    frame: first + i,
    value: settingAt(setting, first + i, time) as KeyValue,
  }))
  return { keys: fewestKeys(samples, tolerance) }
}

/** As few keys as go through samples within a tolerance, in the unit of the value; a part's own where there are several. */
export function fewestKeys(
  samples: readonly { readonly frame: number; readonly value: KeyValue }[],
  tolerance: number,
): Key[] {
  const parts = partsOf(samples[0]!.value)
  if (parts === 0) {
    const changes = samples.filter(
      (s, i) => i === 0 || JSON.stringify(s.value) !== JSON.stringify(samples[i - 1]!.value),
    )
    return changes.map((s) => ({ ...s, go: 'hold' as const }))
  }
  const keys: Key[] = []
  const fit = (from: number, to: number): void => {
    const [a, b] = [samples[from]!, samples[to]!]
    const frames = b.frame - a.frame
    const fits = Array.from({ length: parts }, (_, p) => fitted(samples, from, to, p))
    const worst = fits.reduce((w, f) => (f.error > w.error ? f : w))
    if (worst.error > tolerance && to - from > 1) {
      const middle = Math.min(to - 1, Math.max(from + 1, worst.at))
      fit(from, middle)
      fit(middle, to)
      return
    }
    const isStraight = to - from === 1 || fits.every((f) => f.isStraight)
    const last = keys.at(-1)
    const start: Key = last ?? { frame: a.frame, value: a.value }
    keys[Math.max(0, keys.length - 1)] = isStraight
      ? start
      : { ...start, go: 'curve', broken: true, out: fits.map((f) => [frames / 3, f.out] as [number, number]) }
    keys.push({
      frame: b.frame,
      value: b.value,
      ...(!isStraight && { in: fits.map((f) => [-frames / 3, f.back] as [number, number]) }),
    })
  }
  if (samples.length === 1) return [{ ...samples[0]! }]
  fit(0, samples.length - 1)
  return keys
}

/** The cubic over samples whose handles lie a third of the time away: its heights are those of least squares. */
function fitted(
  samples: readonly { readonly frame: number; readonly value: KeyValue }[],
  from: number,
  to: number,
  part: number,
): { out: number; back: number; error: number; at: number; isStraight: boolean } {
  const [a, b] = [samples[from]!, samples[to]!]
  const frames = b.frame - a.frame
  const [v0, v3] = [partOf(a.value, part), partOf(b.value, part)]
  const each = (visit: (t: number, v: number, i: number) => void) => {
    for (let i = from + 1; i < to; i++)
      visit((samples[i]!.frame - a.frame) / frames, partOf(samples[i]!.value, part), i)
  }
  let [aa, ab, bb, ay, by] = [0, 0, 0, 0, 0]
  each((t, v) => {
    const r = 1 - t
    const [m, n] = [3 * r * r * t, 3 * r * t * t]
    const rest = v - v0 * (r * r * r + m) - v3 * (n + t * t * t)
    aa += m * m
    ab += m * n
    bb += n * n
    ay += m * rest
    by += n * rest
  })
  const det = aa * bb - ab * ab
  const [out, back] = det > 1e-12 ? [(ay * bb - by * ab) / det, (by * aa - ay * ab) / det] : [0, 0]
  const third = (v3 - v0) / 3
  const worst = (o: number, k: number) => {
    let [error, at] = [0, from]
    each((t, v, i) => {
      const r = 1 - t
      const miss = Math.abs(
        v -
          (v0 * (r * r * r + 3 * r * r * t) +
            3 * r * r * t * o +
            3 * r * t * t * k +
            v3 * (3 * r * t * t + t * t * t)),
      )
      if (miss > error) [error, at] = [miss, i]
    })
    return { error, at }
  }
  const [straight, bent] = [worst(third, -third), worst(out, back)]
  const isStraight = straight.error <= bent.error + 1e-12
  return isStraight
    ? { out: third, back: -third, ...straight, isStraight }
    : { out, back, ...bent, isStraight }
}

/** A track with fewer keys, whose values on whole frames and on its keys stay within a tolerance. */
export function simplified(track: Track, tolerance: number): Track {
  const [first, last] = [track.keys[0]!.frame, track.keys.at(-1)!.frame]
  const frames = new Set(track.keys.map((k) => k.frame))
  for (let f = Math.ceil(first); f <= last; f++) frames.add(f)
  const samples = [...frames].sort((a, b) => a - b).map((frame) => ({ frame, value: bare(track, frame) }))
  const { mix } = track
  const rest = without(track, 'along', 'mix')
  const keys = fewestKeys(samples, tolerance)
  return keys.length < track.keys.length ? { ...rest, ...(mix && { mix }), keys } : track
}

/** A setting after it was moved by hand while it played: between the first and last sample as few keys as stay within a tolerance, elsewhere as it was. */
export function rideTrack(
  setting: Setting,
  samples: readonly { readonly frame: number; readonly value: KeyValue }[],
  tolerance: number,
): Track {
  const [first, last] = [samples[0]!.frame, samples.at(-1)!.frame]
  const made = fewestKeys(samples, tolerance)
  if (!isTrack(setting)) return { keys: made }
  const kept = setting.keys.filter((k) => k.frame < first || k.frame > last)
  return {
    ...setting,
    keys: [...kept.filter((k) => k.frame < first), ...made, ...kept.filter((k) => k.frame > last)],
  }
}

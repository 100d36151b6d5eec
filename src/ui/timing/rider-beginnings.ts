import { findLoop } from '../../core/comp/references.ts'
import type { Comp } from '../../core/comp/schema.ts'
import { editTrack, type SettingRef } from '../../core/comp/settings.ts'
import { settingName } from '../../core/comp/setting-names.ts'
import type { Rider } from '../../core/tracks/track.ts'

/** What may be laid over a setting of a type: in words, with a hint, as it begins. What follows or measures begins with something that does not go in a circle. */
export function beginnings(
  comp: Comp,
  ref: SettingRef,
  type: string,
  value: unknown,
): readonly (readonly [words: string, hint: string, rider: Rider])[] {
  const hasNumbers = type === 'number' || type === 'point' || type === 'colour'
  const { laneId } = settingName(comp, ref)
  // A lane can not go by what it becomes itself: another one, from the front, or else what its own picture is made of.
  const others = comp.lanes.filter((l) => l.id !== laneId).toReversed()
  const lanes = others.map((l) => ({ type: 'tap' as const, lane: l.id }))
  const own = comp.lanes.find((l) => l.id === laneId)?.source
  const passes = own?.type === 'pass' ? [own] : []
  const drawings = comp.drawings.slice(0, 1).map((d) => ({ type: 'drawing' as const, drawing: d.id }))
  const first = <T>(from: readonly T[], rider: (from: T) => Rider): Rider | undefined =>
    from
      .map(rider)
      .find(
        (r) =>
          findLoop(editTrack(comp, ref, 0, (t) => ({ ...t, riders: [...(t.riders ?? []), r] }))) ===
          undefined,
      )
  const now = typeof value === 'number' ? value : 1
  const found: (readonly [string, string, Rider])[] = []
  if (hasNumbers)
    found.push([
      'Flicker',
      'Smooth unrest, the same on every machine',
      {
        type: 'flicker',
        on: true,
        amount:
          type === 'colour' ? 0.2 : type === 'point' ? 4 : Number((Math.abs(now) * 0.2 || 0.1).toFixed(3)),
        rate: 6,
        roughness: 0.4,
        seed: 1,
      },
    ])
  found.push(
    ['Hold on frames', 'Each value stands for some frames', { type: 'step', on: true, frames: 2 }],
    [
      'Shift and scale',
      'Later or earlier, faster, more or less',
      { type: 'shift', on: true, frames: 0, speed: 1, times: 1, plus: 0 },
    ],
  )
  if (type === 'point') {
    const rider = first([...lanes, ...drawings, ...passes], (from) => ({
      type: 'follow',
      on: true,
      of: { type: 'matte', matte: { from } },
      offset: [0, 0],
    }))
    if (rider) found.push(['Follow', 'Goes with an object, a lane, a drawing or another point', rider])
  }
  if (type === 'number') {
    const rider = first([...lanes, ...passes], (of) => ({
      type: 'measure',
      on: true,
      of,
      what: 'mean',
      from: [0, 1],
      to: [0, Math.max(1, now)],
      lag: 0,
      as: 'value',
    }))
    if (rider) found.push(['Measure', 'As bright as a lane or a pass is', rider])
  }
  return found
}

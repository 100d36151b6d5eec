import { dialAt, putSetting, settingOf } from '../../core/comp/settings.ts'
import type { Comp } from '../../core/comp/schema.ts'
import { mapParts } from '../../core/tracks/track-edits.ts'
import { rideTrack } from '../../core/tracks/track-fit.ts'
import type { Ridden } from './timing-state.ts'
import type { ShotStore } from '../shot/shot-store.ts'

/** How far the values of samples lie apart at most, in any part. */
function reach(samples: Ridden['samples']): number {
  const [low, high]: number[][] = [[], []]
  for (const { value } of samples)
    mapParts(value as never, (v, i) => {
      low![i] = Math.min(low![i] ?? v, v)
      high![i] = Math.max(high![i] ?? v, v)
      return v
    })
  return Math.max(0, ...high!.map((v, i) => v - low![i]!))
}

/** The comp with what was ridden as keys; `tolerance` as a share of how far each was moved. */
export function rideInto(comp: Comp, ridden: Iterable<Ridden>, tolerance: number): Comp {
  let next = comp
  for (const { ref, samples } of ridden) {
    const setting = settingOf(next, ref)
    if (setting === undefined || !dialAt(next, ref) || samples.length === 0) continue
    next = putSetting(
      next,
      ref,
      rideTrack(setting, samples as never, Math.max(1e-6, tolerance * reach(samples))),
    )
  }
  return next
}

/** Follows what is ridden from frame to frame; when the hand lets go, or the shot stops or begins anew, it becomes keys. */
export function followRides(store: ShotStore): () => void {
  const finish = () => {
    const { riding, rideTolerance, set, edit } = store.getState()
    if (!riding) return
    set({ riding: undefined })
    const names = [...riding.values()].map((r) => r.name)
    edit(`Ride ${names[0]!}`, (comp) => rideInto(comp, riding.values(), rideTolerance))
  }
  const stop = store.subscribe((now, before) => {
    if (!now.riding) return
    const [frame, last] = [now.playhead ?? now.frame, before.playhead ?? before.frame]
    if (!now.isPlaying || (before.riding && frame < last)) {
      finish()
      return
    }
    if (frame === last) return
    // Where the hand is stands for the frames that were passed, too.
    const riding = new Map(
      [...now.riding].map(([key, one]) => {
        const newest = one.samples.at(-1)
        const passed = { frame, value: one.value }
        return [
          key,
          { ...one, samples: newest?.frame === frame ? one.samples : [...one.samples, passed] },
        ] as const
      }),
    )
    now.set({ riding })
  })
  window.addEventListener('pointerup', finish)
  window.addEventListener('keyup', finish)
  return () => {
    stop()
    window.removeEventListener('pointerup', finish)
    window.removeEventListener('keyup', finish)
  }
}

import { editTrack, settingOf, type SettingRef } from '../../core/comp/settings.ts'
import { isTrack } from '../../core/comp/schema.ts'
import { copyKeys, pasteKeys, partsOf, removeKeys } from '../../core/tracks/track-edits.ts'
import type { Track } from '../../core/tracks/track.ts'
import type { ShotStore } from '../shot/shot-store.ts'
import type { ChosenKeys, TimingState } from './timing-state.ts'

// Edits of the keys that are chosen, over as many strips as they lie on.

export const refOf = (key: string): SettingRef => JSON.parse(key) as SettingRef

export const countOf = (chosen: ChosenKeys): number =>
  [...chosen.values()].reduce((sum, frames) => sum + frames.length, 0)

/** Changes a part of how the Timing view is looked at. */
export function setTiming(store: ShotStore, patch: Partial<TimingState>): void {
  const { timing, set } = store.getState()
  set({ timing: { ...timing, ...patch } })
}

/** Changes each track that has chosen keys, in one edit. */
export function editChosen(
  store: ShotStore,
  name: string,
  change: (track: Track, frames: readonly number[], ref: SettingRef) => Track | undefined,
  gesture?: string,
): void {
  const { timing, frame, edit } = store.getState()
  const { chosen } = timing
  const count = countOf(chosen)
  if (count === 0) return
  edit(
    `${name} ${count === 1 ? 'a key' : `${count} keys`}`,
    (comp) =>
      [...chosen].reduce(
        (c, [key, frames]) => editTrack(c, refOf(key), frame, (track) => change(track, frames, refOf(key))),
        comp,
      ),
    gesture,
  )
}

export function removeChosen(store: ShotStore): void {
  editChosen(store, 'Remove', (track, frames) => removeKeys(track, frames))
  setTiming(store, { chosen: new Map() })
}

export function copyChosen(store: ShotStore): void {
  const { timing, comp } = store.getState()
  const from = Math.min(...[...timing.chosen.values()].flat())
  const copied = [...timing.chosen].flatMap(([of, frames]) => {
    const setting = settingOf(comp, refOf(of))
    return setting !== undefined && isTrack(setting) ? [{ of, keys: copyKeys(setting, frames, from) }] : []
  })
  if (copied.length > 0) setTiming(store, { copied })
}

/**
 * Puts copied keys in at the frame that is looked at: into the settings that they are of; those of one setting into the strip that is
 * worked on, where its values are of the same kind.
 */
export function pasteCopied(store: ShotStore): void {
  const { timing, frame, comp, edit } = store.getState()
  const { copied, open } = timing
  const [only] = copied
  if (!only) return
  const target = copied.length === 1 && open !== undefined ? open : undefined
  const chosen = new Map<string, number[]>()
  const count = copied.reduce((sum, c) => sum + c.keys.length, 0)
  edit(`Paste ${count === 1 ? 'a key' : `${count} keys`}`, () =>
    copied.reduce((c, { of, keys }) => {
      const into = target ?? of
      const setting = settingOf(c, refOf(into))
      if (setting === undefined) return c
      const now = isTrack(setting) ? setting.keys[0]!.value : setting
      const isAlike = typeof now === typeof keys[0]!.value && partsOf(now) === partsOf(keys[0]!.value)
      if (!isAlike) return c
      chosen.set(
        into,
        keys.map((k) => k.frame + frame),
      )
      return editTrack(c, refOf(into), frame, (track) =>
        isTrack(setting)
          ? pasteKeys(track, keys, frame)
          : { keys: keys.map((k) => ({ ...k, frame: k.frame + frame })) },
      )
    }, comp),
  )
  if (chosen.size > 0) setTiming(store, { chosen })
  else
    store
      .getState()
      .set({ refusal: 'The copied keys are of another kind than this setting. Nothing was pasted.' })
}

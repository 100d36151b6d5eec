import type { KeyboardEvent } from 'react'
import { insertKey, moveKeys, removeKeys, reverseKeys } from '../../core/tracks/track-edits.ts'
import { bendKeys, setGo } from '../../core/tracks/track-handles.ts'
import { editTrack, settingOf } from '../../core/comp/settings.ts'
import { isTrack } from '../../core/comp/schema.ts'
import type { ShotStore } from '../shot/shot-store.ts'
import { copyChosen, editChosen, pasteCopied, refOf, removeChosen, setTiming } from './edit-keys.ts'

/** How a key goes on to the next. */
const ways = ['straight', 'curve', 'hold'] as const

/** Arrow keys, copies and the like on the strip that has the focus. True where the key was taken. */
export function pressOnStrip(
  event: KeyboardEvent,
  store: ShotStore,
  key: string,
  name: string,
  go: { strip: (by: 1 | -1) => void; field: () => void; riders: () => void },
): boolean {
  const state = store.getState()
  const { frame, comp, timing, edit, set } = state
  const setting = settingOf(comp, refOf(key))
  const track = setting !== undefined && isTrack(setting) ? setting : undefined
  const isMod = event.ctrlKey || event.metaKey
  const along = { ArrowLeft: -1, ArrowRight: 1 }[event.key]
  const across = { ArrowUp: -1, ArrowDown: 1 }[event.key] as 1 | -1 | undefined
  const nudge = (byFrames: number, share: number) => {
    editChosen(store, 'Nudge', (one, frames, ref) => {
      const values = one.keys.map((k) => k.value).filter((v) => typeof v === 'number')
      const reach = Math.max(...values, 1) - Math.min(...values, 0)
      const by = JSON.stringify(ref) === key || share === 0 ? share * reach : 0
      return moveKeys(one, frames, byFrames, [by, by, by, by])
    })
    if (byFrames !== 0)
      setTiming(store, {
        chosen: new Map([...timing.chosen].map(([k, fs]) => [k, fs.map((f) => f + byFrames)])),
      })
  }
  /** Up and down the curve is steeper by a hundredth of its reach, to the sides its handle by a quarter of a frame. */
  const bend = (longer: number, share: number) => {
    editChosen(store, 'Bend', (one, frames) => {
      const values = one.keys.map((k) => k.value).filter((v) => typeof v === 'number')
      const reach = Math.max(...values, 1) - Math.min(...values, 0)
      return bendKeys(one, frames, longer, share * reach)
    })
  }
  const isBending = event.altKey && !event.shiftKey
  if (along && isBending) bend(along * 0.25, 0)
  else if (across && isBending) bend(0, -across * 0.01)
  else if (along && event.shiftKey) nudge(along * (event.altKey ? 0.1 : 1), 0)
  else if (across && event.shiftKey) nudge(0, -across * (event.altKey ? 0.001 : 0.01))
  else if (along && track) {
    const to =
      along < 0
        ? track.keys.findLast((k) => k.frame < frame - 1e-6)
        : track.keys.find((k) => k.frame > frame + 1e-6)
    if (to) {
      set({ frame: Math.round(to.frame) })
      setTiming(store, { open: key, chosen: new Map([[key, [to.frame]]]) })
    }
  } else if (along) set({ frame: Math.min(comp.frames.last, Math.max(comp.frames.first, frame + along)) })
  else if (across) go.strip(across)
  else if (event.key === 'Enter') go.field()
  else if (event.key === 'Delete' || event.key === 'Backspace') removeChosen(store)
  else if (isMod && event.key === 'c') copyChosen(store)
  else if (isMod && event.key === 'v') pasteCopied(store)
  else if (isMod && event.key === 'a' && track)
    setTiming(store, { open: key, chosen: new Map([[key, track.keys.map((k) => k.frame)]]) })
  else if (!isMod && event.key === 'c')
    editChosen(store, 'Way to the next key', (one, frames) => {
      const now = one.keys.find((k) => frames.includes(k.frame))?.go ?? 'straight'
      return setGo(one, frames, ways[(ways.indexOf(now) + 1) % ways.length]!)
    })
  else if (!isMod && event.key === 'a') go.riders()
  else if (!isMod && event.key === 'r')
    editChosen(store, 'Reverse', (one, frames) => reverseKeys(one, frames))
  else if (!isMod && event.key === 'n') {
    const isHere = track?.keys.some((k) => k.frame === frame) ?? false
    edit(`${isHere ? 'Take away a key' : 'Set a key'}: ${name}`, (c) =>
      editTrack(c, refOf(key), frame, (one) => {
        if (isHere) return removeKeys(one, [frame])
        // What stood still is a track by now.
        return track ? insertKey(one, frame) : { ...one }
      }),
    )
    setTiming(store, { open: key, chosen: isHere ? new Map() : new Map([[key, [frame]]]) })
  } else return false
  event.preventDefault()
  event.stopPropagation()
  return true
}

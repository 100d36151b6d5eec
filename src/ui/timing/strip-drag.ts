import { useRef, type PointerEvent, type RefObject } from 'react'
import { insertKey, moveKeys, stretchKeys } from '../../core/tracks/track-edits.ts'
import { setHandle } from '../../core/tracks/track-handles.ts'
import { editTrack, settingOf } from '../../core/comp/settings.ts'
import { isTrack } from '../../core/comp/schema.ts'
import type { Track } from '../../core/tracks/track.ts'
import { newGesture } from '../dials/value-field.tsx'
import { useShotContext } from '../shot/shot-context.tsx'
import {
  frameOf,
  handlesOf,
  isLines,
  keyPlace,
  valueOf,
  xOf,
  type DrawnHandle,
  type StripLook,
} from './draw-strip.ts'
import { editChosen, refOf, setTiming } from './edit-keys.ts'
import type { ChosenKeys } from './timing-state.ts'

/** How near the pointer must be, in pixels. */
const reach = 8

type Grip =
  | {
      readonly type: 'keys'
      readonly start: ChosenKeys
      readonly tracks: ReadonlyMap<string, Track>
      readonly grabbed: number
    }
  | { readonly type: 'handle'; readonly handle: DrawnHandle; readonly track: Track }
  | { readonly type: 'box' }

export interface Box {
  readonly left: number
  readonly top: number
  readonly right: number
  readonly bottom: number
}

const near = (a: number, b: number) => Math.abs(a - b) <= reach

/**
 * What a pointer does on a strip: keys are chosen and moved, over all strips that have chosen ones; with Ctrl stretched about the
 * playhead; handles are turned; a drag beside them chooses all keys in a box. Frames snap to whole ones, with Alt they do not.
 */
export function useStripDrag(
  key: string,
  name: string,
  track: Track,
  type: string,
  look: RefObject<StripLook>,
  box: { show: (box: Box | undefined) => void; choose: (box: Box, isMore: boolean) => void },
) {
  const { store } = useShotContext()
  const drag = useRef<{ x: number; y: number; gesture: string; grip: Grip; isMoved: boolean } | undefined>(
    undefined,
  )

  const keyUnder = (x: number, y: number) => {
    const hasLines = isLines(track, type)
    return track.keys.findLast((k) => {
      const [kx, ky] = keyPlace(k, look.current, hasLines)
      return near(kx, x) && (!look.current.isOpen || near(ky, y) || !hasLines)
    })
  }
  const placeOf = (event: PointerEvent<HTMLCanvasElement>) => {
    const { left, top } = event.currentTarget.getBoundingClientRect()
    return [event.clientX - left, event.clientY - top] as const
  }

  const tracksOf = (chosen: ChosenKeys) => {
    const { comp } = store.getState()
    return new Map(
      [...chosen.keys()].flatMap((k) => {
        const setting = settingOf(comp, refOf(k))
        return setting !== undefined && isTrack(setting) ? [[k, setting] as const] : []
      }),
    )
  }

  const down = (event: PointerEvent<HTMLCanvasElement>) => {
    if (event.button !== 0) return
    event.currentTarget.setPointerCapture(event.pointerId)
    event.currentTarget.focus()
    const [x, y] = placeOf(event)
    const { timing } = store.getState()
    const begin = (grip: Grip) => {
      drag.current = { x, y, gesture: newGesture(), grip, isMoved: false }
    }
    const handle = handlesOf(track, look.current).findLast((h) => near(h.x, x) && near(h.y, y))
    if (handle) {
      begin({ type: 'handle', handle, track })
      return
    }
    const under = keyUnder(x, y)
    if (!under) {
      setTiming(store, { open: key, ...(!event.shiftKey && { chosen: new Map() }) })
      begin({ type: 'box' })
      return
    }
    const own = timing.chosen.get(key) ?? []
    const isChosen = own.includes(under.frame)
    let chosen: ChosenKeys = timing.chosen
    if (event.shiftKey) {
      const next = isChosen ? own.filter((f) => f !== under.frame) : [...own, under.frame]
      chosen = new Map(timing.chosen).set(key, next)
    } else if (!isChosen) chosen = new Map([[key, [under.frame]]])
    setTiming(store, { open: key, chosen })
    begin({ type: 'keys', start: chosen, tracks: tracksOf(chosen), grabbed: under.frame })
  }

  /** Keys are moved from where they were when the drag began, so that nothing is lost on the way. */
  const moveChosen = (
    { start, tracks, grabbed }: Extract<Grip, { type: 'keys' }>,
    dx: number,
    dy: number,
    event: PointerEvent,
    gesture: string,
  ) => {
    const { current } = look
    const { frame } = store.getState()
    const isStretch = event.ctrlKey || event.metaKey
    const raw = frameOf(xOf(grabbed, current) + dx, current)
    const to = event.altKey ? raw : Math.round(raw)
    const factor = Math.abs(grabbed - frame) < 1e-6 ? 1 : Math.max(0.01, (to - frame) / (grabbed - frame))
    const rise =
      isLines(track, type) && current.isOpen && !isStretch
        ? valueOf(dy + 100, current) - valueOf(100, current)
        : 0
    const next = new Map<string, number[]>()
    for (const [k, frames] of start)
      next.set(
        k,
        frames.map((f) => (isStretch ? frame + (f - frame) * factor : f + to - grabbed)),
      )
    editChosen(
      store,
      isStretch ? 'Stretch' : 'Move',
      (_, __, ref) => {
        const k = JSON.stringify(ref)
        const [from, frames] = [tracks.get(k), start.get(k)]
        if (!from || !frames) return _
        if (isStretch) return stretchKeys(from, frames, frame, factor)
        const parts = k === key ? Array.from({ length: 4 }, () => rise) : []
        return moveKeys(from, frames, to - grabbed, parts)
      },
      gesture,
    )
    setTiming(store, { chosen: next })
  }

  const move = (event: PointerEvent<HTMLCanvasElement>) => {
    const begun = drag.current
    const [x, y] = placeOf(event)
    if (!begun) {
      const isOver =
        handlesOf(track, look.current).some((h) => near(h.x, x) && near(h.y, y)) ||
        keyUnder(x, y) !== undefined
      event.currentTarget.style.cursor = isOver ? 'move' : 'default'
      return
    }
    const [dx, dy] = [x - begun.x, y - begun.y]
    if (!begun.isMoved && Math.hypot(dx, dy) < 3) return
    begun.isMoved = true
    const { grip, gesture } = begun
    if (grip.type === 'keys') moveChosen(grip, dx, dy, event, gesture)
    else if (grip.type === 'handle') {
      const { handle } = grip
      const from = grip.track.keys.find((k) => k.frame === handle.frame)!
      const part = typeof from.value === 'number' ? from.value : (from.value as number[])[handle.part]!
      const to = [frameOf(x, look.current) - handle.frame, valueOf(y, look.current) - part] as const
      store
        .getState()
        .edit(
          `Bend ${name}`,
          (c) =>
            editTrack(c, refOf(key), handle.frame, () =>
              setHandle(grip.track, handle.frame, handle.side, handle.part, to),
            ),
          gesture,
        )
    } else {
      const { left, top } = event.currentTarget.getBoundingClientRect()
      box.show({
        left: left + Math.min(begun.x, x),
        right: left + Math.max(begun.x, x),
        top: top + Math.min(begun.y, y),
        bottom: top + Math.max(begun.y, y),
      })
    }
  }

  const up = (event: PointerEvent<HTMLCanvasElement>) => {
    const begun = drag.current
    drag.current = undefined
    if (!begun) return
    if (begun.grip.type === 'box' && begun.isMoved) {
      const [x, y] = placeOf(event)
      const { left, top } = event.currentTarget.getBoundingClientRect()
      box.show(undefined)
      box.choose(
        {
          left: left + Math.min(begun.x, x),
          right: left + Math.max(begun.x, x),
          top: top + Math.min(begun.y, y),
          bottom: top + Math.max(begun.y, y),
        },
        event.shiftKey,
      )
    } else if (begun.grip.type === 'keys' && !begun.isMoved && !event.shiftKey)
      setTiming(store, { chosen: new Map([[key, [begun.grip.grabbed]]]) })
  }

  /** A key more, where the curve is. */
  const add = (event: { clientX: number; currentTarget: HTMLCanvasElement; altKey: boolean }) => {
    const { left } = event.currentTarget.getBoundingClientRect()
    const raw = frameOf(event.clientX - left, look.current)
    const at = event.altKey ? raw : Math.round(raw)
    store.getState().edit(`Set a key: ${name}`, (c) => editTrack(c, refOf(key), at, (t) => insertKey(t, at)))
    setTiming(store, { open: key, chosen: new Map([[key, [at]]]) })
  }
  return { down, move, up, add }
}

import { useEffect } from 'react'
import { editLane, moveStep, placeOfStep, removeStep } from '../../core/comp/edits.ts'
import { joinBus, leaveBus, placeLane } from '../../core/comp/buses.ts'
import { duplicateLane, insertSteps } from '../../core/comp/fragment.ts'
import type { Comp } from '../../core/comp/schema.ts'
import { rowsHere } from '../desk/desk-lanes.ts'
import { closeOpened, openSelected } from '../recipes/open-step.ts'
import { clipText } from '../../core/recipes/clip.ts'
import { keepClip, keptClip, pasteText } from './clipboard.ts'
import { removeLaneOf } from '../desk/remove-lane.tsx'
import { stepTitle } from '../desk/step-title.ts'
import { isOnDesk, useShortcut } from '../shortcuts/use-shortcut.ts'
import type { Selection, ShotStore } from './shot-store.ts'
import { isOnNow } from './use-setting.ts'

/** The neighbour of a selection: along the lane by `across`, to another lane by `down`. */
function neighbour(
  comp: Comp,
  opened: readonly string[],
  selection: Selection | undefined,
  across: number,
  down: number,
): Selection | undefined {
  const all = rowsHere(comp, opened)
  const at = Math.max(
    0,
    all.findIndex((r) => r.id === selection?.lane),
  )
  const row = all[Math.min(all.length - 1, Math.max(0, at + down))]
  if (!row) return undefined
  const index = all[at]!.steps.findIndex((s) => s.id === selection?.step)
  const next = Math.min(row.steps.length - 1, index + across)
  return next < 0 ? { lane: row.id } : { lane: row.id, step: row.steps[next]!.id }
}

function moveSelected(store: ShotStore, by: number): void {
  const { comp, selection, edit } = store.getState()
  const place = selection?.step ? placeOfStep(comp, selection.step) : undefined
  if (!place) return
  const to = Math.max(0, place.index + by)
  edit(`Move ${stepTitle(place.step)}`, (c) => moveStep(c, place.step.id, place.laneId, to))
}

/** Puts the selected step at the end of the lane above or below, or the selected lane past its neighbour. */
function moveAcross(store: ShotStore, down: number): void {
  const { comp, opened, selection, edit, set } = store.getState()
  const place = selection?.step ? placeOfStep(comp, selection.step) : undefined
  const all = rowsHere(comp, opened)
  const next = all[all.findIndex((r) => r.id === selection?.lane) + down]
  if (!next || !selection) return
  if (place) {
    const where = comp.lanes.find((l) => l.id === next.id)?.name ?? 'the whole picture'
    edit(`Move ${stepTitle(place.step)} to ${where}`, (c) =>
      moveStep(c, place.step.id, next.id, next.steps.length),
    )
    set({ selection: { lane: next.id, step: place.step.id } })
    return
  }
  const lane = comp.lanes.find((l) => l.id === selection.lane)
  const other = comp.lanes.find((l) => l.id === next.id)
  if (lane && other)
    edit(`Put ${lane.name} ${down < 0 ? 'in front of' : 'behind'} ${other.name}`, (c) =>
      placeLane(c, lane.id, down < 0 ? 'front' : 'back', other.id),
    )
}

type Clip = 'copy' | 'cut' | 'paste' | 'duplicate'

function clip(store: ShotStore, what: Clip): boolean {
  const { comp, media, selection, edit, set } = store.getState()
  const place = selection?.step ? placeOfStep(comp, selection.step) : undefined
  const lane = comp.lanes.find((l) => l.id === selection?.lane)
  const steps = lane?.steps ?? comp.master
  switch (what) {
    case 'copy':
    case 'cut': {
      // A lane goes as a whole; of the whole picture, its steps.
      const ids = (place ? [place.step] : steps).map((s) => s.id)
      if (!place && lane) keepClip(clipText(comp, media, { lanes: [lane.id] }))
      else if (ids.length === 0) return false
      else keepClip(clipText(comp, media, { steps: ids }))
      if (what === 'cut' && place) removeSelected(store, 'Cut')
      return true
    }
    case 'paste': {
      const text = keptClip()
      return text !== undefined && pasteText(store, text)
    }
    case 'duplicate':
      if (place) {
        edit(
          `Duplicate ${stepTitle(place.step)}`,
          (c) => insertSteps(c, place.laneId, place.index + 1, [place.step], c.lanes)[0],
        )
      } else if (lane) {
        let id = lane.id
        edit(`Duplicate ${lane.name}`, (c) => {
          const [next, made] = duplicateLane(c, lane.id)
          id = made
          return next
        })
        set({ selection: { lane: id } })
      }
      return true
    default:
      return false
  }
}

/** B: a bus of the selected lane and the one behind it; Shift-B takes it out of its bus. */
function bus(store: ShotStore, isLeaving: boolean): void {
  const { comp, selection, edit } = store.getState()
  const lane = comp.lanes.find((l) => l.id === selection?.lane)
  if (!lane) return
  if (isLeaving) {
    if (lane.in !== undefined) edit(`Take ${lane.name} out of its bus`, (c) => leaveBus(c, lane.id))
    return
  }
  const here = comp.lanes.filter((l) => l.in === lane.in)
  const behind = here[here.indexOf(lane) - 1]
  if (behind) edit(`Join ${lane.name} and ${behind.name} in a bus`, (c) => joinBus(c, lane.id, behind.id)[0])
}

function removeSelected(store: ShotStore, verb = 'Remove'): void {
  const { comp, selection, edit, set } = store.getState()
  const place = selection?.step ? placeOfStep(comp, selection.step) : undefined
  if (!place) {
    if (selection) removeLaneOf(store, selection.lane)
    return
  }
  edit(`${verb} ${stepTitle(place.step)}`, (c) => removeStep(c, place.step.id))
  // What is locked stays, and stays chosen.
  if (store.getState().comp !== comp) set({ selection: { lane: place.laneId } })
}

function toggleSelected(store: ShotStore): void {
  const { comp, selection, edit, write } = store.getState()
  const place = selection?.step ? placeOfStep(comp, selection.step) : undefined
  if (place) {
    const isOn = isOnNow(store.getState(), place.step)
    const ref = { of: 'on', step: place.step.id } as const
    write(`Switch ${stepTitle(place.step)} ${isOn ? 'off' : 'on'}`, [[ref, !isOn]])
    return
  }
  const lane = comp.lanes.find((l) => l.id === selection?.lane)
  if (lane)
    edit(`${lane.muted ? 'Unmute' : 'Mute'} ${lane.name}`, (c) =>
      editLane(c, lane.id, (l) => {
        l.muted = !l.muted
      }),
    )
}

/** A list that was used with the mouse does not keep the keys for itself; one used with the keyboard does. */
function useFreeLists(): void {
  useEffect(() => {
    let isByMouse = false
    const point = () => {
      isByMouse = true
    }
    const type = () => {
      isByMouse = false
    }
    const chosen = ({ target }: Event) => {
      if (isByMouse && target instanceof HTMLSelectElement) target.blur()
    }
    window.addEventListener('pointerdown', point, true)
    window.addEventListener('keydown', type, true)
    window.addEventListener('change', chosen)
    return () => {
      window.removeEventListener('pointerdown', point, true)
      window.removeEventListener('keydown', type, true)
      window.removeEventListener('change', chosen)
    }
  }, [])
}

/** The keys of the desk, and those that count everywhere. */
export function useDeskKeys(store: ShotStore): void {
  useFreeLists()
  const { set } = store.getState()
  const history = store.temporal.getState()
  useShortcut('undo', () => {
    history.undo()
  })
  useShortcut('redo', () => {
    history.redo()
  })
  // What is marked as text is copied as text.
  const clipped = (what: Clip) => () => window.getSelection()?.isCollapsed !== false && clip(store, what)
  useShortcut('copy', clipped('copy'))
  useShortcut('cut', clipped('cut'))
  useShortcut('paste', clipped('paste'))
  useShortcut('duplicate', clipped('duplicate'))
  const step = (across: number, down: number) => (event: KeyboardEvent) => {
    if (!isOnDesk(event.target)) return false
    const { comp, opened, selection } = store.getState()
    set({ selection: neighbour(comp, opened, selection, across, down) })
    requestAnimationFrame(() => document.querySelector<HTMLElement>('[data-selected=true]')?.focus())
    return true
  }
  useShortcut('back', step(-1, 0))
  useShortcut('on', step(1, 0))
  useShortcut('laneAbove', step(0, -1))
  useShortcut('laneBelow', step(0, 1))
  const onDesk = (run: () => void) => (event: KeyboardEvent) => {
    if (!isOnDesk(event.target)) return false
    run()
    return true
  }
  useShortcut(
    'moveBack',
    onDesk(() => {
      moveSelected(store, -1)
    }),
  )
  useShortcut(
    'moveOn',
    onDesk(() => {
      moveSelected(store, 1)
    }),
  )
  useShortcut(
    'moveUp',
    onDesk(() => {
      moveAcross(store, -1)
    }),
  )
  useShortcut(
    'moveDown',
    onDesk(() => {
      moveAcross(store, 1)
    }),
  )
  useShortcut(
    'toggle',
    onDesk(() => {
      toggleSelected(store)
    }),
  )
  useShortcut('openStep', () => openSelected(store))
  useShortcut('closeStep', () => {
    closeOpened(store)
  })
  useShortcut('makeStep', () => {
    const { selection } = store.getState()
    if (!selection) return false
    set({
      making:
        selection.step === undefined
          ? { lane: selection.lane }
          : { lane: selection.lane, step: selection.step },
    })
    return true
  })
  useShortcut('remove', () => {
    removeSelected(store)
  })
  useShortcut('bus', () => {
    bus(store, false)
  })
  useShortcut('leaveBus', () => {
    bus(store, true)
  })
  useShortcut(
    'before',
    ({ repeat }) => {
      if (!repeat) set({ viewMode: 'before' })
    },
    () => {
      if (store.getState().viewMode === 'before') set({ viewMode: 'picture' })
    },
  )
  useShortcut('light', () => {
    set({ viewMode: store.getState().viewMode === 'light' ? 'picture' : 'light' })
  })
}

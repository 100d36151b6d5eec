import { useEffect } from 'react'
import { editLane, editStep, masterId, moveStep, placeOfStep, removeStep } from '../../core/comp/edits.ts'
import { joinBus, leaveBus, placeLane } from '../../core/comp/buses.ts'
import { duplicateLane, insertSteps } from '../../core/comp/fragment.ts'
import type { Comp } from '../../core/comp/schema.ts'
import { removeLaneOf } from '../desk/remove-lane.tsx'
import { stepTitle } from '../desk/step-title.ts'
import type { Selection, ShotStore } from './shot-store.ts'

/** Lists as the desk stacks them: front lane first, the master last. */
function rows(comp: Comp): { id: string; steps: readonly { id: string }[] }[] {
  return [...comp.lanes.toReversed(), { id: masterId, steps: comp.master }]
}

/** The neighbour of a selection: along the lane by `across`, to another lane by `down`. */
function neighbour(
  comp: Comp,
  selection: Selection | undefined,
  across: number,
  down: number,
): Selection | undefined {
  const all = rows(comp)
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
  const { comp, selection, edit, set } = store.getState()
  const place = selection?.step ? placeOfStep(comp, selection.step) : undefined
  const all = rows(comp)
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

/** Ctrl with C, X, V or D on the desk. */
function clip(store: ShotStore, key: string): boolean {
  const { comp, selection, edit, set, clipboard } = store.getState()
  const place = selection?.step ? placeOfStep(comp, selection.step) : undefined
  const lane = comp.lanes.find((l) => l.id === selection?.lane)
  const steps = lane?.steps ?? comp.master
  switch (key) {
    case 'c':
    case 'x':
      set({ clipboard: { steps: place ? [place.step] : steps } })
      if (key === 'x' && place) removeSelected(store, 'Cut')
      return true
    case 'v': {
      if (!clipboard || !selection) return false
      const at = place ? place.index + 1 : steps.length
      let ids: string[] = []
      edit(`Paste ${clipboard.steps.map(stepTitle).join(', ')}`, (c) => {
        const [next, made] = insertSteps(c, selection.lane, at, clipboard.steps)
        ids = made
        return next
      })
      const last = ids.at(-1)
      if (last !== undefined) set({ selection: { lane: selection.lane, step: last } })
      return true
    }
    case 'd':
      if (place) {
        edit(
          `Duplicate ${stepTitle(place.step)}`,
          (c) => insertSteps(c, place.laneId, place.index + 1, [place.step])[0],
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
  set({ selection: { lane: place.laneId } })
}

function toggleSelected(store: ShotStore): void {
  const { comp, selection, edit } = store.getState()
  const place = selection?.step ? placeOfStep(comp, selection.step) : undefined
  if (place) {
    edit(`Switch ${stepTitle(place.step)} ${place.step.on ? 'off' : 'on'}`, (c) =>
      editStep(c, place.step.id, (s) => {
        s.on = !s.on
      }),
    )
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

const isTyping = (target: EventTarget | null) =>
  target instanceof HTMLElement &&
  (target.matches('input:not([type=range]), textarea, select') || target.closest('dialog') !== null)

/** The keys of the shot screen. Those of the picture (F, 1) are the picture's own. */
export function useShortcuts(store: ShotStore): void {
  useEffect(() => {
    const press = (event: KeyboardEvent) => {
      const { set, comp, selection, viewMode } = store.getState()
      const history = store.temporal.getState()
      if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'z') {
        if (event.shiftKey) history.redo()
        else history.undo()
        event.preventDefault()
        return
      }
      if (isTyping(event.target)) return
      if (event.ctrlKey || event.metaKey) {
        // What is marked as text is copied as text.
        if (window.getSelection()?.isCollapsed !== false && clip(store, event.key.toLowerCase()))
          event.preventDefault()
        return
      }
      const isOnDesk =
        event.target instanceof HTMLElement &&
        (event.target.closest('[data-desk]') !== null || event.target === document.body)
      const step = (across: number, down: number) => {
        if (!isOnDesk) return
        const next = neighbour(comp, selection, across, down)
        set({ selection: next })
        requestAnimationFrame(() => document.querySelector<HTMLElement>('[data-selected=true]')?.focus())
        event.preventDefault()
      }
      switch (event.key) {
        case '\\':
          if (!event.repeat) set({ viewMode: 'before' })
          break
        case 'l':
        case 'L':
          set({ viewMode: viewMode === 'light' ? 'picture' : 'light' })
          break
        case 'Delete':
        case 'Backspace':
          removeSelected(store)
          break
        case ' ':
          if (!isOnDesk) break
          toggleSelected(store)
          event.preventDefault()
          break
        case 'ArrowLeft':
          if (event.altKey && isOnDesk) moveSelected(store, -1)
          else step(-1, 0)
          break
        case 'ArrowRight':
          if (event.altKey && isOnDesk) moveSelected(store, 1)
          else step(1, 0)
          break
        case 'ArrowUp':
          if (event.altKey && isOnDesk) moveAcross(store, -1)
          else step(0, -1)
          break
        case 'ArrowDown':
          if (event.altKey && isOnDesk) moveAcross(store, 1)
          else step(0, 1)
          break
        case 'b':
        case 'B':
          bus(store, event.shiftKey)
      }
    }
    const release = (event: KeyboardEvent) => {
      if (event.key === '\\' && store.getState().viewMode === 'before')
        store.getState().set({ viewMode: 'picture' })
    }
    // A list that was used with the mouse does not keep the keys for itself; one used with the keyboard does.
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
    window.addEventListener('keydown', press)
    window.addEventListener('keyup', release)
    return () => {
      window.removeEventListener('pointerdown', point, true)
      window.removeEventListener('keydown', type, true)
      window.removeEventListener('change', chosen)
      window.removeEventListener('keydown', press)
      window.removeEventListener('keyup', release)
    }
  }, [store])
}

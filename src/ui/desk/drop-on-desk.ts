import { moveStep, placeOfStep } from '../../core/comp/edits.ts'
import { joinBus, placeLane } from '../../core/comp/buses.ts'
import { insertSteps } from '../../core/comp/fragment.ts'
import { addPassLane } from '../passes/add-pass-lane.ts'
import type { ShotStore } from '../shot/shot-store.ts'
import type { Dragged, Dropped } from './drop-edge.ts'
import { stepTitle } from './step-title.ts'

/** Carries out what was let go over the desk: one edit, with a name that says what it did. */
export function dropOnDesk(
  store: ShotStore,
  dragged: Dragged,
  onto: Dropped | undefined,
  edge: 'front' | 'back' | 'onto',
  isCopy: boolean,
): void {
  const { comp, edit, set } = store.getState()
  if (!onto) return
  if (onto.type === 'chip') {
    if (dragged.type === 'pass') onto.connect({ type: 'pass', media: dragged.media, pass: dragged.pass })
    if (dragged.type === 'lane') onto.connect({ type: 'tap', lane: dragged.lane })
    return
  }
  const target = comp.lanes.find((l) => l.id === onto.lane)
  switch (dragged.type) {
    case 'pass': {
      const index = comp.lanes.findIndex((l) => l.id === onto.lane)
      addPassLane(store, dragged, index < 0 ? undefined : edge === 'front' ? index + 1 : index)
      return
    }
    case 'step': {
      const place = placeOfStep(comp, dragged.step)
      if (!place || onto.type !== 'slot') return
      const where = target ? target.name : 'the whole picture'
      if (isCopy) {
        let ids: string[] = []
        edit(`Copy ${stepTitle(place.step)} to ${where}`, (c) => {
          const [next, made] = insertSteps(c, onto.lane, onto.at, [place.step], c.lanes)
          ids = made
          return next
        })
        if (ids[0]) set({ selection: { lane: onto.lane, step: ids[0] } })
        return
      }
      // Places are counted without the moved step.
      const isEarlier = place.laneId === onto.lane && place.index < onto.at
      const at = isEarlier ? onto.at - 1 : onto.at
      if (place.laneId === onto.lane && at === place.index) return
      const isHere = place.laneId === onto.lane
      edit(`Move ${stepTitle(place.step)}${isHere ? '' : ` to ${where}`}`, (c) =>
        moveStep(c, dragged.step, onto.lane, at),
      )
      set({ selection: { lane: onto.lane, step: dragged.step } })
      return
    }
    case 'lane': {
      if (!target || dragged.lane === onto.lane) return
      if (edge === 'onto')
        edit(
          `Join ${dragged.title} and ${target.name} in a bus`,
          (c) => joinBus(c, dragged.lane, onto.lane)[0],
        )
      else
        edit(`Put ${dragged.title} ${edge === 'front' ? 'in front of' : 'behind'} ${target.name}`, (c) =>
          placeLane(c, dragged.lane, edge, onto.lane),
        )
      set({ selection: { lane: dragged.lane } })
    }
  }
}

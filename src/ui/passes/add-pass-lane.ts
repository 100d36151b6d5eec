import { addLane } from '../../core/comp/edits.ts'
import type { ShotStore } from '../shot/shot-store.ts'

/** A new lane that begins with a pass, before the lane at an index (at the front without one); selects it. */
export function addPassLane(
  store: ShotStore,
  { media, pass }: { readonly media: string; readonly pass: string },
  at?: number,
): void {
  const { edit, set, media: table } = store.getState()
  const name = `${table[media]?.name ?? media} ${pass}`.slice(0, 120)
  let laneId = ''
  edit(`Add ${pass} as a lane`, (comp) => {
    const next = addLane(comp, name, { type: 'pass', media, pass }, at)
    laneId = next.lanes.find((l) => !comp.lanes.some((old) => old.id === l.id))!.id
    return next
  })
  set({ selection: { lane: laneId }, shownPass: undefined })
}

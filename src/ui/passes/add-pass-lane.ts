import { cutName } from '../../core/comp/cut-name.ts'
import { addPassLane as addLaneOfPass } from '../../core/comp/edits.ts'
import type { ShotStore } from '../shot/shot-store.ts'

/** A new lane that begins with a pass, before the lane at an index (at the front without one); selects it. */
export function addPassLane(
  store: ShotStore,
  { media, pass }: { readonly media: string; readonly pass: string },
  at?: number,
): void {
  const { edit, set, media: table } = store.getState()
  const kind = table[media]?.passes.find((p) => p.name === pass)?.kind
  const name = cutName(`${table[media]?.name ?? media} ${pass}`)
  let laneId = ''
  edit(`Add ${pass} as a lane`, (comp) => {
    const next = addLaneOfPass(comp, name, { type: 'pass', media, pass }, kind, at)
    laneId = next.lanes.find((l) => !comp.lanes.some((old) => old.id === l.id))!.id
    return next
  })
  set({ selection: { lane: laneId }, shownPass: undefined })
}

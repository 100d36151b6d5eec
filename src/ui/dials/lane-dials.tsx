'use client'

import { Trash2 } from 'lucide-react'
import { leaveBus } from '../../core/comp/buses.ts'
import { cutName } from '../../core/comp/cut-name.ts'
import { describeLane } from '../../core/comp/describe.ts'
import { addLane, editLane } from '../../core/comp/edits.ts'
import { duplicateLane } from '../../core/comp/fragment.ts'
import type { Lane } from '../../core/comp/schema.ts'
import { removeLaneOf } from '../desk/remove-lane.tsx'
import { useShot, useShotContext } from '../shot/shot-context.tsx'
import { LaneTimeRows } from './lane-time.tsx'
import { LaneSource } from './lane-source.tsx'
import { MatteChips } from './matte-chips.tsx'
import { SettingRow } from './setting-row.tsx'

export function LaneDials({ lane }: { lane: Lane }) {
  const { store } = useShotContext()
  const sentence = useShot((s) => describeLane(s.comp, s.media, lane))
  const { edit, set } = store.getState()
  const isInBus = useShot((s) => s.comp.lanes.some((l) => l.id === lane.in))
  const actions = [
    {
      name: 'Duplicate',
      hint: 'A copy in front of it (Ctrl-D)',
      run: () => {
        edit(`Duplicate ${lane.name}`, (c) => duplicateLane(c, lane.id)[0])
      },
    },
    {
      name: 'Live copy',
      hint: 'A lane behind it that follows whatever this lane becomes',
      run: () => {
        let id = ''
        edit(`Live copy of ${lane.name}`, (c) => {
          const at = c.lanes.findIndex((l) => l.id === lane.id)
          const name = cutName(`${lane.name} live`)
          const next = addLane(c, name, { type: 'tap', lane: lane.id }, at)
          id = next.lanes[at]!.id
          return lane.in === undefined
            ? next
            : editLane(next, id, (l) => {
                l.in = lane.in
              })
        })
        set({ selection: { lane: id } })
      },
    },
    {
      name: lane.kind === 'matte' ? 'Into the picture' : 'As matte only',
      hint: 'A matte lane is not in the picture; others take from it',
      run: () => {
        edit(lane.kind === 'matte' ? `${lane.name} into the picture` : `${lane.name} as matte only`, (c) =>
          editLane(c, lane.id, (l) => {
            l.kind = lane.kind === 'matte' ? 'picture' : 'matte'
          }),
        )
      },
    },
    {
      name: lane.locked ? 'Unlock' : 'Lock',
      hint: 'A locked lane can not be changed',
      run: () => {
        edit(`${lane.locked ? 'Unlock' : 'Lock'} ${lane.name}`, (c) =>
          editLane(c, lane.id, (l) => {
            l.locked = !lane.locked
          }),
        )
      },
    },
    {
      name: 'Make one step …',
      hint: 'This lane as a step with a few dials, on a lane of its own',
      run: () => {
        set({ making: { lane: lane.id } })
      },
    },
    ...(!isInBus
      ? []
      : [
          {
            name: 'Out of its bus',
            hint: 'Puts it in front of the bus (Shift-B)',
            run: () => {
              edit(`Take ${lane.name} out of its bus`, (c) => leaveBus(c, lane.id))
            },
          },
        ]),
  ]
  return (
    <>
      <div>
        <h2 className="truncate text-base font-semibold">
          {lane.name} <span className="text-xs font-normal text-base-content/60">lane</span>
        </h2>
        <p className="text-xs text-base-content/65">{sentence}</p>
      </div>
      <LaneSource lane={lane} />
      {lane.source.type === 'pass' && <LaneTimeRows lane={lane} />}
      <SettingRow of={{ of: 'opacity', lane: lane.id }} name="opacity" edits={`Opacity of ${lane.name}`} />
      <p className="text-xs text-base-content/55">Press / to add a step to this lane.</p>
      <div className="flex flex-wrap gap-1.5">
        <MatteChips
          hint="Where the lane joins; elsewhere the picture below stays as it was."
          matte={lane.join.matte}
          laneId={lane.id}
          at={{ lane: lane.id }}
          onChange={(matte, gesture, prepare) => {
            edit(
              `Matte of ${lane.name}`,
              (c) =>
                editLane(prepare ? prepare(c) : c, lane.id, (l) => {
                  if (matte) l.join.matte = matte
                  else delete l.join.matte
                }),
              gesture && `${lane.id} matte ${gesture}`,
            )
          }}
        />
      </div>
      <div className="flex flex-wrap gap-1">
        {actions.map(({ name, hint, run }) => (
          <button key={name} type="button" className="btn btn-xs" title={hint} onClick={run}>
            {name}
          </button>
        ))}
        <button
          type="button"
          className="btn btn-ghost btn-xs text-base-content/70"
          onClick={() => {
            removeLaneOf(store, lane.id)
          }}
        >
          <Trash2 size={13} aria-hidden /> Remove the lane
        </button>
      </div>
    </>
  )
}

'use client'

import { memo } from 'react'
import { editLane } from '../../core/comp/edits.ts'
import { blends, joinHints, operators, type JoinMode } from '../../core/kernels/join-modes.ts'
import type { Lane } from '../../core/comp/schema.ts'
import { useShot, useShotContext } from '../shot/shot-context.tsx'
import { useNumberNow } from '../shot/use-setting.ts'
import { ValueField } from '../dials/value-field.tsx'

const groups = [
  ['Cover and light', Object.keys(operators) as JoinMode[]],
  ['Blend', [...blends] as JoinMode[]],
] as const

/** Two stops fill the meter. */
const meterStops = 2

/** How a lane meets what is below it, and the stops of light it adds to the picture. */
export const JoinCell = memo(function JoinCell({ lane }: { lane: Lane }) {
  const { store } = useShotContext()
  const stops = useShot((s) => s.meters[lane.id])
  const opacity = useNumberNow({ of: 'opacity', lane: lane.id }) ?? 1
  const { edit, write } = store.getState()
  if (lane.kind === 'matte') return <div className="text-xs text-base-content/50">matte lane</div>
  const added =
    stops === undefined || Math.abs(stops) < 0.05
      ? ''
      : stops >= 10
        ? 'first light'
        : `${stops > 0 ? 'adds' : 'takes'} ${stops > 0 ? '+' : '−'}${Math.abs(stops).toFixed(1)} stop`
  return (
    <div className="flex items-center gap-2">
      <div className="min-w-0 flex-1">
        <div className="flex items-center gap-1">
          <select
            aria-label={`Join of ${lane.name}`}
            title={`${lane.join.mode}: ${joinHints[lane.join.mode]}`}
            className="select select-ghost select-xs w-[5.9rem] px-1 font-semibold"
            value={lane.join.mode}
            onChange={(e) => {
              const mode = e.target.value as Lane['join']['mode']
              edit(`Join ${lane.name} by ${mode}`, (c) =>
                editLane(c, lane.id, (l) => {
                  l.join.mode = mode
                }),
              )
            }}
          >
            {groups.map(([group, modes]) => (
              <optgroup key={group} label={group}>
                {modes.map((mode) => (
                  <option key={mode} value={mode} title={joinHints[mode]}>
                    {mode}
                  </option>
                ))}
              </optgroup>
            ))}
          </select>
          <div className="w-[3.9rem]">
            <ValueField
              label={`Opacity of ${lane.name} in percent`}
              value={opacity * 100}
              unit="%"
              hard={[0, 100]}
              step={1}
              onChange={(value, gesture) => {
                write(`Opacity of ${lane.name}`, [[{ of: 'opacity', lane: lane.id }, value / 100]], gesture)
              }}
            />
          </div>
        </div>
        <div className="h-4 truncate pl-1 text-xs text-base-content/55">{lane.muted ? 'muted' : added}</div>
      </div>
      <div
        className="flex h-9 w-1.5 items-end overflow-hidden rounded-sm bg-base-300"
        aria-hidden
        title="Light this lane adds"
      >
        <div
          className="w-full bg-gradient-to-t from-primary to-accent"
          style={{ height: `${Math.min(100, Math.max(0, ((stops ?? 0) / meterStops) * 100))}%` }}
        />
      </div>
    </div>
  )
})

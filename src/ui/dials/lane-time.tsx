'use client'

import { editLane } from '../../core/comp/edits.ts'
import { beyondMediaWords, type BeyondMedia, type LaneTime } from '../../core/comp/lane-time.ts'
import type { Lane } from '../../core/comp/schema.ts'
import { without } from '../../core/without.ts'
import { useShot, useShotContext } from '../shot/shot-context.tsx'
import { ValueField } from './value-field.tsx'

const usual = { shift: 0, speed: 1, every: 1 } as const
const numbers = [
  ['shift', 'Later by', 'frames', [-100_000, 100_000], 1, 'Frames later; below 0 earlier'],
  ['speed', 'Speed', '×', [-100, 100], 0.05, 'From the first frame of the media on; below 0 backwards'],
  ['every', 'Held on', 'frames', [1, 1000], 1, 'Each frame of the media stands for so many of the shot'],
] as const

/** How a lane shows its media in time. */
export function LaneTimeRows({ lane }: { lane: Lane }) {
  const { store } = useShotContext()
  const frame = useShot((s) => s.frame)
  const time: LaneTime = lane.time ?? {}
  const put = (next: LaneTime, words: string, gesture?: string) => {
    store.getState().edit(
      `${words} of ${lane.name}`,
      (c) =>
        editLane(c, lane.id, (l) => {
          if (Object.keys(next).length > 0) l.time = next
          else delete l.time
        }),
      gesture && `${lane.id} time ${gesture}`,
    )
  }
  const isFrozen = time.frozen !== undefined
  return (
    <details className="text-xs" open={lane.time !== undefined}>
      <summary className="cursor-pointer text-base-content/70 hover:text-base-content">
        Its media in time
      </summary>
      <div className="space-y-1 pl-3 pt-1">
        {numbers.map(([key, words, unit, hard, step, hint]) => (
          <label key={key} className="grid grid-cols-[6rem_7rem] items-center gap-2" title={hint}>
            <span className={isFrozen ? 'text-base-content/40' : 'text-base-content/85'}>{words}</span>
            <ValueField
              label={`${words}, media of ${lane.name}`}
              value={time[key] ?? usual[key]}
              unit={unit}
              hard={hard}
              step={step}
              onChange={(value, gesture) => {
                const held = key === 'every' ? Math.round(value) : value
                put(held === usual[key] ? without(time, key) : { ...time, [key]: held }, words, gesture)
              }}
            />
          </label>
        ))}
        {(['before', 'after'] as const).map((key) => (
          <label key={key} className="grid grid-cols-[6rem_7rem] items-center gap-2">
            <span className={isFrozen ? 'text-base-content/40' : 'text-base-content/85'}>
              {key === 'before' ? 'Before its first' : 'After its last'}
            </span>
            <select
              className="select select-xs"
              value={time[key] ?? 'hold'}
              onChange={(e) => {
                const how = e.target.value as BeyondMedia
                put(
                  how === 'hold' ? without(time, key) : { ...time, [key]: how },
                  'What lies beyond the media',
                )
              }}
            >
              {Object.entries(beyondMediaWords).map(([how, words]) => (
                <option key={how} value={how}>
                  {words}
                </option>
              ))}
            </select>
          </label>
        ))}
        <div className="grid grid-cols-[6rem_7rem] items-center gap-2">
          <label className="flex items-center gap-1.5">
            <input
              type="checkbox"
              className="checkbox checkbox-xs"
              checked={isFrozen}
              onChange={(e) => {
                put(e.target.checked ? { ...time, frozen: frame } : without(time, 'frozen'), 'Standing still')
              }}
            />
            Frozen on
          </label>
          {isFrozen && (
            <ValueField
              label={`Frozen on, media of ${lane.name}`}
              value={time.frozen ?? frame}
              unit=""
              hard={[-10_000_000, 10_000_000]}
              step={1}
              onChange={(value, gesture) => {
                put({ ...time, frozen: Math.round(value) }, 'Standing still', gesture)
              }}
            />
          )}
        </div>
      </div>
    </details>
  )
}

'use client'

import { editLane } from '../../core/comp/edits.ts'
import type { Lane } from '../../core/comp/schema.ts'
import { useShotContext } from '../shot/shot-context.tsx'
import { LinkChip } from './link-chip.tsx'
import { SettingRow } from './setting-row.tsx'

/** The two ends of a gradient source; their places are dragged on the picture. */
function GradientRows({ lane, shape: shown }: { lane: Lane; shape: 'line' | 'round' }) {
  const { store } = useShotContext()
  return (
    <div className="space-y-0.5">
      <div role="group" aria-label="Shape of the gradient" className="flex gap-1 pb-1">
        {(['line', 'round'] as const).map((shape) => (
          <button
            key={shape}
            type="button"
            aria-pressed={shown === shape}
            className={`btn btn-xs ${shown === shape ? 'btn-primary' : ''}`}
            onClick={() => {
              store.getState().edit(`Shape of ${lane.name}`, (c) =>
                editLane(c, lane.id, (l) => {
                  if (l.source.type === 'gradient') l.source.shape = shape
                }),
              )
            }}
          >
            {shape === 'line' ? 'Along a line' : 'Around a point'}
          </button>
        ))}
      </div>
      {(['from', 'to'] as const).map((end) => (
        <div key={end}>
          <SettingRow
            of={{ of: 'source', lane: lane.id, key: `${end}.colour` }}
            name={end}
            edits={`Colour ${end} of ${lane.name}`}
            hint="Linear light at this end."
            resetsTo={[0, 0, 0]}
          />
          <SettingRow
            of={{ of: 'source', lane: lane.id, key: `${end}.alpha` }}
            name={`${end} alpha`}
            edits={`Alpha ${end} of ${lane.name}`}
            hint="How much this end covers."
          />
        </div>
      ))}
    </div>
  )
}

/** What a lane begins with, and how it looks. */
export function LaneSource({ lane }: { lane: Lane }) {
  const { store } = useShotContext()
  const { source } = lane
  switch (source.type) {
    case 'colour':
      return (
        <div className="space-y-0.5">
          <SettingRow
            of={{ of: 'source', lane: lane.id, key: 'colour' }}
            name="colour"
            edits={`Colour of ${lane.name}`}
            hint="Linear light."
            resetsTo={[0.18, 0.18, 0.18]}
          />
          <SettingRow
            of={{ of: 'source', lane: lane.id, key: 'alpha' }}
            name="alpha"
            edits={`Alpha of ${lane.name}`}
            hint="How much the colour covers."
          />
        </div>
      )
    case 'gradient':
      return <GradientRows lane={lane} shape={source.shape} />
    case 'drawing':
      return (
        <SettingRow
          of={{ of: 'source', lane: lane.id, key: 'colour' }}
          name="fill"
          edits={`Fill of ${lane.name}`}
          hint="Linear light that the shapes are filled with."
        />
      )
    case 'lanes':
      return (
        <p className="text-xs text-base-content/65">
          A bus: its steps act on all that is in it together. Drag lanes onto it, or out of it.
        </p>
      )
    default:
      return (
        <div className="flex">
          <LinkChip
            label="source"
            hint="The picture this lane begins with."
            link={{ from: source }}
            without="nothing"
            laneId={lane.id}
            kind="source"
            onChange={(link) => {
              if (link)
                store.getState().edit(`Source of ${lane.name}`, (c) =>
                  editLane(c, lane.id, (l) => {
                    l.source = link.from
                  }),
                )
            }}
          />
        </div>
      )
  }
}

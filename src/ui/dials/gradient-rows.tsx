'use client'

import { editLane } from '../../core/comp/edits.ts'
import type { Lane, Source } from '../../core/comp/schema.ts'
import { number, type DialValue } from '../../core/effects/dials.ts'
import { useShotContext } from '../shot/shot-context.tsx'
import { ColourRow, NumberRow } from './basic-rows.tsx'

type Gradient = Source & { type: 'gradient' }

const alphaDial = number({ default: 1, range: [0, 1], step: 0.01, hint: 'How much this end covers.' })

/** The two ends of a gradient source; their places are dragged on the picture. */
export function GradientRows({ lane, source }: { lane: Lane; source: Gradient }) {
  const { store } = useShotContext()
  const { edit, write } = store.getState()
  const change = (
    name: string,
    key: `${'from' | 'to'}.${'colour' | 'alpha'}`,
    value: DialValue,
    gesture: string | undefined,
  ) => {
    write(
      `${name} of ${lane.name}`,
      [[{ of: 'source', lane: lane.id, key }, value]],
      gesture && `${lane.id} ${name} ${gesture}`,
    )
  }
  return (
    <div className="space-y-0.5">
      <div role="group" aria-label="Shape of the gradient" className="flex gap-1 pb-1">
        {(['line', 'round'] as const).map((shape) => (
          <button
            key={shape}
            type="button"
            aria-pressed={source.shape === shape}
            className={`btn btn-xs ${source.shape === shape ? 'btn-primary' : ''}`}
            onClick={() => {
              edit(`Shape of ${lane.name}`, (c) =>
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
          <ColourRow
            name={end}
            dial={{ type: 'colour', default: [0, 0, 0], hint: 'Linear light at this end.' }}
            value={source[end].colour}
            onChange={(next, gesture) => {
              change(`Colour ${end}`, `${end}.colour`, next, gesture)
            }}
          />
          <NumberRow
            name={`${end} alpha`}
            dial={alphaDial}
            value={source[end].alpha}
            onChange={(next, gesture) => {
              change(`Alpha ${end}`, `${end}.alpha`, next, gesture)
            }}
          />
        </div>
      ))}
    </div>
  )
}

'use client'

import { useRef } from 'react'
import { masterId, placeOfStep } from '../../core/comp/edits.ts'
import { ShapesPanel } from '../drawing/shapes-panel.tsx'
import { PassDetails } from '../passes/pass-details.tsx'
import { useShortcut } from '../shortcuts/use-shortcut.ts'
import { useShot } from '../shot/shot-context.tsx'
import { LaneDials } from './lane-dials.tsx'
import { StepDials } from './step-dials.tsx'

/** Everything that can be set about what is selected on the desk. */
export function DialsPanel() {
  const panel = useRef<HTMLElement>(null)
  useShortcut('dials', () => {
    panel.current?.querySelector<HTMLElement>('button, input, select, [tabindex="0"]')?.focus()
  })
  const selection = useShot((s) => s.selection)
  const place = useShot((s) => (s.selection?.step ? placeOfStep(s.comp, s.selection.step) : undefined)?.step)
  const lane = useShot((s) => s.comp.lanes.find((l) => l.id === s.selection?.lane))
  const isEmpty = useShot((s) => s.comp.lanes.length === 0)
  const shown = useShot((s) => s.shownPass)
  const shownMedia = useShot((s) => s.shownPass && s.media[s.shownPass.media])
  const shownPass = shownMedia?.passes.find((p) => p.name === shown?.pass)
  if (shown && shownMedia && shownPass)
    return (
      <section aria-label="About the pass" className="h-full overflow-y-auto bg-base-100 p-3">
        <PassDetails
          key={`${shown.media} ${shown.pass}`}
          mediaRef={shown.media}
          media={shownMedia}
          pass={shownPass}
        />
      </section>
    )
  return (
    <section
      ref={panel}
      onKeyDown={(event) => {
        // A field that is left by Escape first has it for itself.
        const { target } = event
        if (
          event.key === 'Escape' &&
          target instanceof HTMLElement &&
          !target.matches('input:not([type=range])')
        )
          target.blur()
      }}
      aria-label="Dials"
      className="flex h-full flex-col gap-2.5 overflow-y-auto bg-base-100 p-3 pl-4.5"
    >
      <ShapesPanel />
      {place && selection ? (
        <StepDials key={place.id} step={place} laneId={selection.lane} />
      ) : lane ? (
        <LaneDials key={lane.id} lane={lane} />
      ) : (
        <p className="text-base-content/65">
          {isEmpty
            ? 'The desk is empty. Bring in a frame to begin.'
            : selection?.lane === masterId
              ? 'Steps on the whole picture act on all lanes together. Press / to add one.'
              : 'Select a lane or a step on the desk to set it.'}
        </p>
      )}
    </section>
  )
}

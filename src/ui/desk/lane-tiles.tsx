'use client'

import { Fragment } from 'react'
import type { Step } from '../../core/comp/schema.ts'
import { Slot } from './slot.tsx'
import { StepTile } from './tile.tsx'

/** A slot of a lane. */
export interface Place {
  readonly lane: string
  readonly at: number
}

/** Tiles of a lane from its source to its end, with a slot after each. */
export function LaneTiles({
  laneId,
  head,
  source,
  steps,
  openAt,
  onOpen,
}: {
  laneId: string
  head: React.ReactNode
  source: React.ReactNode
  steps: readonly Step[]
  openAt: number | undefined
  onOpen: (place: Place) => void
}) {
  return (
    <>
      {head}
      <div className="flex min-w-0 items-center overflow-x-auto py-[1px] [scrollbar-width:thin]">
        {source}
        {steps.map((step, i) => (
          <Fragment key={step.id}>
            <Slot
              lane={laneId}
              at={i}
              label={`Add a step before ${step.effect}`}
              isOpen={openAt === i}
              onOpen={onOpen}
            />
            <StepTile step={step} laneId={laneId} />
          </Fragment>
        ))}
        <Slot
          lane={laneId}
          at={steps.length}
          label="Add a step at the end"
          isOpen={openAt === steps.length}
          onOpen={onOpen}
        />
        <span className="h-px min-w-4 flex-1 bg-accent/50" />
      </div>
    </>
  )
}

'use client'

import { useDroppable } from '@dnd-kit/core'
import { Plus } from 'lucide-react'
import { memo } from 'react'

/** A place between tiles on the line of light; a click adds a step there. */
export const Slot = memo(function Slot({
  label,
  lane,
  at,
  isOpen,
  onOpen,
}: {
  label: string
  lane: string
  at: number
  isOpen: boolean
  onOpen: (place: { readonly lane: string; readonly at: number }) => void
}) {
  const { setNodeRef, isOver } = useDroppable({ id: `slot ${lane} ${at}`, data: { type: 'slot', lane, at } })
  return (
    <button
      ref={setNodeRef}
      type="button"
      aria-label={label}
      title={`${label} (/)`}
      className="group relative flex h-11 w-7 shrink-0 items-center justify-center"
      onClick={() => {
        onOpen({ lane, at })
      }}
    >
      <span className="absolute inset-x-0 top-1/2 h-px bg-accent/50" />
      {isOver && <span className="absolute inset-y-0 w-[3px] bg-accent" />}
      <span
        className={`relative flex size-5 items-center justify-center rounded-full border border-accent bg-base-200 text-accent group-hover:visible group-focus-visible:visible ${isOpen ? '' : 'invisible'}`}
      >
        <Plus size={13} aria-hidden />
      </span>
    </button>
  )
})

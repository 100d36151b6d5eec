'use client'

import { useDraggable } from '@dnd-kit/core'
import { ChevronDown, ChevronRight, Eye, EyeOff, GripVertical, Headphones, Lock } from 'lucide-react'
import { memo, useState } from 'react'
import { busesAround } from '../../core/comp/buses.ts'
import { editLane } from '../../core/comp/edits.ts'
import type { Lane } from '../../core/comp/schema.ts'
import { useShot, useShotContext } from '../shot/shot-context.tsx'
import type { Dragged } from './drop-edge.ts'

/** The head of a lane: its name, and what it is switched by. */
export const LaneName = memo(function LaneName({ lane }: { lane: Lane }) {
  const { store } = useShotContext()
  const { edit } = store.getState()
  const [isNaming, setIsNaming] = useState(false)
  const finish = (name: string) => {
    setIsNaming(false)
    if (name.trim() && name.trim() !== lane.name)
      edit(`Rename ${lane.name}`, (c) =>
        editLane(c, lane.id, (l) => {
          l.name = name.trim()
        }),
      )
  }
  const depth = useShot((s) => busesAround(s.comp, lane.id).length)
  const isBus = lane.source.type === 'lanes'
  const { setNodeRef: setHandle, listeners: handle } = useDraggable({
    id: `drag ${lane.id}`,
    data: { type: 'lane', lane: lane.id, title: lane.name } satisfies Dragged,
    disabled: isNaming,
  })
  const toggle = (what: 'muted' | 'solo' | 'locked' | 'folded', name: string) => {
    edit(`${name} ${lane.name}`, (c) =>
      editLane(c, lane.id, (l) => {
        l[what] = !l[what]
      }),
    )
  }
  return (
    <div className="flex min-w-0 items-center gap-0.5" style={{ paddingLeft: `${0.25 + depth * 0.9}rem` }}>
      <button
        ref={setHandle}
        {...handle}
        type="button"
        tabIndex={-1}
        className="cursor-grab touch-none text-base-content/30 hover:text-base-content/70"
        aria-label={`Drag ${lane.name}`}
        title="Drag to restack; onto another lane for a bus of both"
      >
        <GripVertical size={13} aria-hidden />
      </button>
      {isBus && (
        <button
          type="button"
          className="text-base-content/60 hover:text-base-content"
          aria-expanded={!lane.folded}
          aria-label={lane.folded ? `Unfold ${lane.name}` : `Fold ${lane.name}`}
          onClick={() => {
            toggle('folded', lane.folded ? 'Unfold' : 'Fold')
          }}
        >
          {lane.folded ? <ChevronRight size={14} aria-hidden /> : <ChevronDown size={14} aria-hidden />}
        </button>
      )}
      {lane.locked && (
        <button
          type="button"
          className="text-warning"
          aria-label={`Unlock ${lane.name}`}
          title="Locked: nothing on it can be changed. Click to unlock."
          onClick={() => {
            toggle('locked', 'Unlock')
          }}
        >
          <Lock size={12} aria-hidden />
        </button>
      )}
      <div className="min-w-0 flex-1">
        {isNaming ? (
          <input
            autoFocus
            aria-label="Name of the lane"
            className="input input-xs w-full"
            defaultValue={lane.name}
            onBlur={(e) => {
              finish(e.target.value)
            }}
            onKeyDown={(e) => {
              if (e.key === 'Enter') finish(e.currentTarget.value)
              if (e.key === 'Escape') setIsNaming(false)
            }}
          />
        ) : (
          <button
            type="button"
            className={`block w-full truncate text-left font-semibold ${lane.muted ? 'text-base-content/45' : ''}`}
            title="Double-click to rename"
            onClick={() => {
              store.getState().set({ selection: { lane: lane.id } })
            }}
            onDoubleClick={() => {
              setIsNaming(true)
            }}
          >
            {lane.name}
          </button>
        )}
      </div>
      <button
        type="button"
        className="btn btn-ghost btn-xs btn-square"
        aria-pressed={lane.solo}
        aria-label={`Only ${lane.name}`}
        title="Show this lane alone (with others that are)"
        onClick={() => {
          toggle('solo', lane.solo ? 'End solo of' : 'Solo')
        }}
      >
        <Headphones size={13} className={lane.solo ? 'text-accent' : 'text-base-content/35'} aria-hidden />
      </button>
      <button
        type="button"
        className="btn btn-ghost btn-xs btn-square"
        aria-pressed={lane.muted}
        aria-label={`Mute ${lane.name}`}
        title={lane.muted ? 'Muted: not in the picture (Space)' : 'Mute (Space)'}
        onClick={() => {
          toggle('muted', lane.muted ? 'Unmute' : 'Mute')
        }}
      >
        {lane.muted ? (
          <EyeOff size={13} className="text-warning" aria-hidden />
        ) : (
          <Eye size={13} className="text-base-content/45" aria-hidden />
        )}
      </button>
    </div>
  )
})

'use client'

import {
  useDndMonitor,
  useDraggable,
  useDroppable,
  type DragMoveEvent,
  type DragOverEvent,
} from '@dnd-kit/core'
import {
  Blend,
  ChevronDown,
  ChevronRight,
  Eye,
  EyeOff,
  GripVertical,
  Headphones,
  Lock,
  PenLine,
  Plus,
} from 'lucide-react'
import { Fragment, memo, useEffect, useState } from 'react'
import { addDrawing } from '../../core/comp/drawing-edits.ts'
import { addLane, addStep, editLane, editStep, masterId } from '../../core/comp/edits.ts'
import type { Lane, Step } from '../../core/comp/schema.ts'
import type { Effect } from '../../core/effects/effect.ts'
import { useShot, useShotContext } from '../shot/shot-context.tsx'
import { busesAround } from '../../core/comp/buses.ts'
import { naturalFeeds } from '../../core/comp/natural-feeds.ts'
import { fitSpan } from '../dials/fit-span.ts'
import { newGesture } from '../dials/value-field.tsx'
import { dropEdge, type Dragged, type Dropped } from './drop-edge.ts'
import { linkedTo } from './linked.ts'
import { AddStepDialog } from './add-step-dialog.tsx'
import { JoinCell } from './join-cell.tsx'
import { Slot } from './slot.tsx'
import { sourceNote, sourceTitle } from './source-name.ts'
import { StepTile, Tile } from './tile.tsx'

interface Place {
  readonly lane: string
  readonly at: number
}

/** Tiles of a lane from its source to its end, with a slot after each. */
function Row({
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

const LaneName = memo(function LaneName({ lane }: { lane: Lane }) {
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

/** A lane; it is drawn anew only when it changes itself, so that moving a dial costs the same on desks of any height. */
const LaneRow = memo(function LaneRow({
  lane,
  openAt,
  onOpen,
}: {
  lane: Lane
  openAt: number | undefined
  onOpen: (place: Place) => void
}) {
  const { store } = useShotContext()
  const isSelected = useShot((s) => s.selection?.lane === lane.id)
  const isSource = useShot((s) => s.selection?.lane === lane.id && s.selection.step === undefined)
  const title = useShot((s) => sourceTitle(lane.source, s.media, s.comp.lanes))
  const note = useShot((s) => sourceNote(lane.source, s.media))
  const problem = useShot((s) => s.problems.find((p) => p.laneId === lane.id && !p.stepId)?.message)
  const { setNodeRef } = useDroppable({
    id: `lane ${lane.id}`,
    data: { type: 'lane', lane: lane.id } satisfies Dropped,
  })
  const [edge, setEdge] = useState<'front' | 'back' | 'onto'>()
  const isLinked = useShot((s) => linkedTo(s).has(lane.id))
  // What is dragged falls in front of or behind the lane, by the half that it is over.
  const follow = (event: DragMoveEvent | DragOverEvent) => {
    const { over, active } = event
    const dragged = active.data.current as Dragged | undefined
    setEdge(over?.id === `lane ${lane.id}` ? dropEdge(event, dragged?.type === 'lane') : undefined)
  }
  useDndMonitor({
    onDragMove: follow,
    onDragOver: follow,
    onDragEnd: () => {
      setEdge(undefined)
    },
    onDragCancel: () => {
      setEdge(undefined)
    },
  })
  const mark = {
    front: 'shadow-[inset_0_3px_0_var(--color-accent)]',
    back: 'shadow-[inset_0_-3px_0_var(--color-accent)]',
    onto: 'outline-2 -outline-offset-2 outline-accent',
  }
  return (
    <li
      ref={setNodeRef}
      aria-label={`Lane ${lane.name}`}
      className={`grid ${edge ? mark[edge] : ''} grid-cols-[14rem_minmax(0,1fr)_12.5rem] items-center border-b border-base-300 ${isSelected ? 'bg-[oklch(23%_0.025_262)]' : ''} ${lane.kind === 'matte' ? 'hatched' : ''}`}
    >
      <Row
        laneId={lane.id}
        head={<LaneName lane={lane} />}
        source={
          <Tile
            thumb={`lane:${lane.id}`}
            title={title}
            note={note}
            label={`Source of ${lane.name}`}
            isSelected={isSource}
            isLinked={isLinked}
            isOff={lane.muted}
            problem={problem}
            matteOf={lane.join.matte && { lane: lane.id }}
            onSelect={() => {
              store.getState().set({ selection: { lane: lane.id } })
            }}
          />
        }
        steps={lane.steps}
        openAt={openAt}
        onOpen={onOpen}
      />
      <div className="h-full content-center border-l border-base-300 px-2 py-1">
        <JoinCell lane={lane} />
      </div>
    </li>
  )
})

function MasterRow({ openAt, onOpen }: { openAt: number | undefined; onOpen: (place: Place) => void }) {
  const { store } = useShotContext()
  const steps = useShot((s) => s.comp.master)
  const isSelected = useShot((s) => s.selection?.lane === masterId)
  const isSource = useShot((s) => s.selection?.lane === masterId && s.selection.step === undefined)
  return (
    <li
      aria-label="Whole picture"
      className={`grid grid-cols-[14rem_minmax(0,1fr)_12.5rem] items-center border-t-2 border-base-300 ${isSelected ? 'bg-[oklch(23%_0.025_262)]' : ''}`}
    >
      <Row
        laneId={masterId}
        head={
          <div className="pl-3">
            <div className="font-semibold">Whole picture</div>
            <div className="text-xs text-base-content/55">master</div>
          </div>
        }
        source={
          <Tile
            thumb="joined"
            title="All lanes"
            note="joined"
            label="All lanes joined"
            isSelected={isSource}
            onSelect={() => {
              store.getState().set({ selection: { lane: masterId } })
            }}
          />
        }
        steps={steps}
        openAt={openAt}
        onOpen={onOpen}
      />
      <div className="h-full content-center border-l border-base-300 px-3 text-xs text-base-content/55">
        out
      </div>
    </li>
  )
}

/** Lanes, front one on top, each read from left to right; the master below them. */
export function Desk({ buttons }: { buttons: React.ReactNode }) {
  const { engine, store } = useShotContext()
  const lanes = useShot((s) => s.comp.lanes)
  const [place, setPlace] = useState<Place>()
  const { edit, set } = store.getState()
  // What is in a folded bus is not shown.
  const folded = new Set(lanes.filter((l) => l.folded).map((l) => l.id))
  const shown = lanes
    .toReversed()
    .filter((l) => !busesAround(store.getState().comp, l.id).some((b) => folded.has(b)))

  useEffect(() => {
    const press = (event: KeyboardEvent) => {
      const isTyping =
        event.target instanceof HTMLElement &&
        (event.target.matches('input:not([type=range]), textarea, select') || event.target.closest('dialog'))
      if (event.key !== '/' || isTyping) return
      event.preventDefault()
      const { comp, selection } = store.getState()
      const lane = selection?.lane ?? comp.lanes.at(-1)?.id ?? masterId
      const steps = lane === masterId ? comp.master : (comp.lanes.find((l) => l.id === lane)?.steps ?? [])
      const index = steps.findIndex((s) => s.id === selection?.step)
      setPlace({ lane, at: selection?.step ? index + 1 : steps.length })
    }
    window.addEventListener('keydown', press)
    return () => {
      window.removeEventListener('keydown', press)
    }
  }, [store])

  const add = (effect: Effect, { lane, at }: Place) => {
    let stepId = ''
    const gesture = newGesture()
    edit(
      `Add ${effect.title}`,
      (comp) => {
        const [next, id] = addStep(comp, lane, at, effect.id)
        stepId = id
        const feeds = naturalFeeds(comp, store.getState().media, lane, effect)
        return editStep(next, id, (step) => {
          Object.assign(step.feeds, feeds)
        })
      },
      gesture,
    )
    set({ selection: { lane, step: stepId } })
    setPlace(undefined)
    if (engine) void fitSpan(store, engine, stepId, gesture)
  }
  const newGradient = () => {
    edit('Add a gradient lane', (comp) => {
      const { width, height } = comp.canvas
      return addLane(comp, 'Gradient', {
        type: 'gradient',
        shape: 'line',
        from: { at: [width / 2, height * 0.15], colour: [0.02, 0.1, 0.2], alpha: 1 },
        to: { at: [width / 2, height * 0.85], colour: [0.3, 0.5, 0.6], alpha: 1 },
      })
    })
    set({ selection: { lane: store.getState().comp.lanes.at(-1)!.id } })
  }
  const newShapes = () => {
    let drawing = ''
    edit('Add a shape lane', (comp) => {
      const [next, id] = addDrawing(comp, `Shapes ${comp.drawings.length + 1}`)
      drawing = id
      return addLane(next, 'Shapes', { type: 'drawing', drawing: id, colour: [1, 1, 1] })
    })
    const lane = store.getState().comp.lanes.at(-1)!.id
    set({ selection: { lane }, draw: { drawing, tool: 'pen', points: [] } })
  }
  const newLane = () => {
    edit('Add a lane', (comp) =>
      addLane(comp, 'Colour', { type: 'colour', colour: [0.18, 0.18, 0.18], alpha: 1 }),
    )
    set({ selection: { lane: store.getState().comp.lanes.at(-1)!.id } })
  }

  return (
    <section aria-label="Desk" data-desk className="flex h-full flex-col bg-base-200">
      <div className="flex h-8 shrink-0 items-center gap-2 border-b border-base-300 px-3 text-xs">
        {buttons}
        <button type="button" className="btn btn-ghost btn-xs" onClick={newLane}>
          <Plus size={14} aria-hidden /> Colour lane
        </button>
        <button type="button" className="btn btn-ghost btn-xs" onClick={newGradient}>
          <Blend size={14} aria-hidden /> Gradient lane
        </button>
        <button type="button" className="btn btn-ghost btn-xs" onClick={newShapes}>
          <PenLine size={14} aria-hidden /> Shape lane
        </button>
        <span className="ml-auto pr-1 text-base-content/50">
          front lane on top · light runs left to right
        </span>
      </div>
      <ul className="flex min-h-0 flex-1 flex-col">
        <li className="min-h-0 flex-1 overflow-y-auto" aria-label="Lanes">
          <ul>
            {shown.map((lane) => (
              <LaneRow
                key={lane.id}
                lane={lane}
                openAt={place?.lane === lane.id ? place.at : undefined}
                onOpen={setPlace}
              />
            ))}
          </ul>
        </li>
        <MasterRow openAt={place?.lane === masterId ? place.at : undefined} onOpen={setPlace} />
      </ul>
      {place && (
        <AddStepDialog
          place={place}
          onAdd={add}
          onClose={() => {
            setPlace(undefined)
          }}
        />
      )}
    </section>
  )
}

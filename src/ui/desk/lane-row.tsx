'use client'

import { useDndMonitor, useDroppable, type DragMoveEvent, type DragOverEvent } from '@dnd-kit/core'
import { memo, useState } from 'react'
import { masterId } from '../../core/comp/edits.ts'
import type { Lane } from '../../core/comp/schema.ts'
import { useShot, useShotContext } from '../shot/shot-context.tsx'
import { dropEdge, type Dragged, type Dropped } from './drop-edge.ts'
import { JoinCell } from './join-cell.tsx'
import { LaneName } from './lane-name.tsx'
import { LaneTiles, type Place } from './lane-tiles.tsx'
import { linkedTo } from './linked.ts'
import { sourceNote, sourceTitle } from './source-name.ts'
import { Tile } from './tile.tsx'

/** A lane; it is drawn anew only when it changes itself, so that moving a dial costs the same on desks of any height. */
export const LaneRow = memo(function LaneRow({
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
  const note = useShot((s) => sourceNote(lane, s.media, s.frame))
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
      <LaneTiles
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

/** The steps on the whole picture. */
export function MasterRow({
  isHidden,
  openAt,
  onOpen,
}: {
  isHidden: boolean
  openAt: number | undefined
  onOpen: (place: Place) => void
}) {
  const { store } = useShotContext()
  const steps = useShot((s) => s.comp.master)
  const isSelected = useShot((s) => s.selection?.lane === masterId)
  const isSource = useShot((s) => s.selection?.lane === masterId && s.selection.step === undefined)
  return (
    <li
      aria-label="Whole picture"
      hidden={isHidden}
      className={`${isHidden ? '' : 'grid'} grid-cols-[14rem_minmax(0,1fr)_12.5rem] items-center border-t-2 border-base-300 ${isSelected ? 'bg-[oklch(23%_0.025_262)]' : ''}`}
    >
      <LaneTiles
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

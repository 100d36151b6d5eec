'use client'

import { Blend, PenLine, Plus } from 'lucide-react'
import { useState } from 'react'
import { busesAround } from '../../core/comp/buses.ts'
import { addDrawing } from '../../core/comp/drawing-edits.ts'
import { addLane, masterId } from '../../core/comp/edits.ts'
import { addFedStep } from '../../core/comp/natural-feeds.ts'
import type { Comp, Lane } from '../../core/comp/schema.ts'
import type { Effect } from '../../core/effects/effect.ts'
import { fitSpan } from '../dials/fit-span.ts'
import { newGesture } from '../dials/value-field.tsx'
import { useShortcut } from '../shortcuts/use-shortcut.ts'
import { useShot, useShotContext } from '../shot/shot-context.tsx'
import { addRecipe } from '../recipes/add-recipe.ts'
import { DeskPath } from '../recipes/desk-path.tsx'
import type { ShotStore } from '../shot/shot-store.ts'
import { AddStepDialog } from './add-step-dialog.tsx'
import { lanesHere, openedStep } from './desk-lanes.ts'
import { LaneRow, MasterRow } from './lane-row.tsx'
import type { Place } from './lane-tiles.tsx'

/** The lane that was added last: new ones stand in front of those that are on the desk. */
const newest = (store: ShotStore): string => {
  const { comp, opened } = store.getState()
  return lanesHere(comp, opened).at(-1)!.id
}

/** Lanes from the front to the back; what is in a folded bus is not shown. */
function shownLanes(comp: Comp, opened: readonly string[]): Lane[] {
  const lanes = lanesHere(comp, opened)
  const folded = new Set(lanes.filter((l) => l.folded).map((l) => l.id))
  return lanes.toReversed().filter((l) => !busesAround(comp, l.id).some((b) => folded.has(b)))
}

/** Lanes, front one on top, each read from left to right; the master below them. */
export function Desk({ buttons }: { buttons: React.ReactNode }) {
  const { engine, store } = useShotContext()
  const comp = useShot((s) => s.comp)
  const opened = useShot((s) => s.opened)
  const [place, setPlace] = useState<Place>()
  const { edit, set } = store.getState()
  // The desk around an opened step stays as it is, out of sight: coming back to it is at once.
  const path = opened.filter((id) => openedStep(comp, [id]) === id)
  const levels = [[], ...path.map((id) => [id])].map((step) => shownLanes(comp, step))

  useShortcut('addStep', () => {
    const { comp, selection } = store.getState()
    const lane = selection?.lane ?? lanesHere(comp, store.getState().opened).at(-1)?.id ?? masterId
    const steps = lane === masterId ? comp.master : (comp.lanes.find((l) => l.id === lane)?.steps ?? [])
    const index = steps.findIndex((s) => s.id === selection?.step)
    setPlace({ lane, at: selection?.step ? index + 1 : steps.length })
  })

  const add = (effect: Effect, { lane, at }: Place) => {
    let stepId = ''
    const gesture = newGesture()
    edit(
      `Add ${effect.title}`,
      (comp) => {
        const [next, id] = addFedStep(comp, store.getState().media, lane, at, effect)
        stepId = id
        return next
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
    set({ selection: { lane: newest(store) } })
  }
  const newShapes = () => {
    let drawing = ''
    edit('Add a shape lane', (comp) => {
      const [next, id] = addDrawing(comp, `Shapes ${comp.drawings.length + 1}`)
      drawing = id
      return addLane(next, 'Shapes', { type: 'drawing', drawing: id, colour: [1, 1, 1] })
    })
    const lane = newest(store)
    set({ selection: { lane }, draw: { drawing, tool: 'pen', points: [] } })
  }
  const newLane = () => {
    edit('Add a lane', (comp) =>
      addLane(comp, 'Colour', { type: 'colour', colour: [0.18, 0.18, 0.18], alpha: 1 }),
    )
    set({ selection: { lane: newest(store) } })
  }

  return (
    <section aria-label="Desk" data-desk className="flex h-full flex-col bg-base-200">
      <div className="flex h-8 shrink-0 items-center gap-2 border-b border-base-300 px-3 text-xs">
        {path.length > 0 ? <DeskPath /> : buttons}
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
        {levels.map((lanes, level) => (
          <li
            key={level === 0 ? 'desk' : path[level - 1]}
            hidden={level < path.length}
            className="min-h-0 flex-1 overflow-y-auto"
            aria-label="Lanes"
          >
            <ul>
              {lanes.map((lane) => (
                <LaneRow
                  key={lane.id}
                  lane={lane}
                  openAt={place?.lane === lane.id ? place.at : undefined}
                  onOpen={setPlace}
                />
              ))}
            </ul>
          </li>
        ))}
        <MasterRow
          isHidden={path.length > 0}
          openAt={place?.lane === masterId ? place.at : undefined}
          onOpen={setPlace}
        />
      </ul>
      {place && (
        <AddStepDialog
          place={place}
          onAdd={add}
          onAddRecipe={(known, { lane, at }) => {
            addRecipe(store, known, lane, at)
            setPlace(undefined)
          }}
          onClose={() => {
            setPlace(undefined)
          }}
        />
      )}
    </section>
  )
}

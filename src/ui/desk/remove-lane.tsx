'use client'

import { useEffect, useRef, useState } from 'react'
import { editLane, placeOfStep } from '../../core/comp/edits.ts'
import { cutLinksTo, dependentsOf } from '../../core/comp/references.ts'
import { dropLane } from '../../core/comp/buses.ts'
import type { Comp } from '../../core/comp/schema.ts'
import { useShot, useShotContext } from '../shot/shot-context.tsx'
import type { ShotStore } from '../shot/shot-store.ts'
import { freezeLane } from './freeze-lane.ts'
import { stepTitle } from './step-title.ts'

/** Removes a lane at once when nothing takes from it; else asks, see RemoveLaneDialog. */
export function removeLaneOf(store: ShotStore, laneId: string): void {
  const { comp, edit, set } = store.getState()
  const lane = comp.lanes.find((l) => l.id === laneId)
  if (!lane) return
  if (dependentsOf(comp, laneId).length > 0) {
    set({ removing: laneId })
    return
  }
  edit(`Remove lane ${lane.name}`, (c) => dropLane(c, laneId))
  // A locked one stays, and stays chosen.
  if (store.getState().comp !== comp) set({ selection: undefined })
}

function userWords(comp: Comp, { laneId, stepId }: { laneId: string; stepId?: string }): string {
  const lane = comp.lanes.find((l) => l.id === laneId)?.name ?? 'the whole picture'
  const step = stepId === undefined ? undefined : placeOfStep(comp, stepId)?.step
  return step ? `${stepTitle(step)} on ${lane}` : lane
}

/** Asks what is to become of those that take from a lane that is to go. */
export function RemoveLaneDialog() {
  const { id, store, engine } = useShotContext()
  const [freezing, setFreezing] = useState<AbortController>()
  const [failure, setFailure] = useState<string>()
  const frame = useShot((s) => s.frame)
  const laneId = useShot((s) => s.removing)
  const comp = useShot((s) => s.comp)
  const dialog = useRef<HTMLDialogElement>(null)
  const lane = comp.lanes.find((l) => l.id === laneId)
  useEffect(() => {
    if (lane) dialog.current?.showModal()
  }, [lane])
  if (!lane || laneId === undefined) return null
  const { edit, set } = store.getState()
  const users = dependentsOf(comp, laneId)
  const close = () => {
    freezing?.abort()
    setFreezing(undefined)
    setFailure(undefined)
    set({ removing: undefined })
  }
  const freeze = () => {
    if (!engine) return
    const work = new AbortController()
    setFreezing(work)
    setFailure(undefined)
    freezeLane(id, store, engine, laneId, work.signal).then(close, (error: unknown) => {
      setFreezing(undefined)
      if (!work.signal.aborted) setFailure(error instanceof Error ? error.message : String(error))
    })
  }
  return (
    <dialog
      ref={dialog}
      aria-label={`Remove ${lane.name}`}
      className="m-auto w-[36rem] border border-base-content/20 bg-base-100 p-4 text-base-content backdrop:bg-black/50"
      onClose={close}
    >
      <h2 className="font-semibold">Others take their picture from {lane.name}</h2>
      <ul className="list-disc py-2 pl-5 text-base-content/80">
        {users.map((user) => (
          <li key={`${user.laneId} ${user.stepId ?? ''}`}>{userWords(comp, user)}</li>
        ))}
      </ul>
      {failure && (
        <p role="alert" className="text-error">
          {failure}
        </p>
      )}
      <div className="flex justify-end gap-2 pt-2">
        <button type="button" className="btn btn-sm btn-ghost" onClick={close}>
          Leave it
        </button>
        <button
          type="button"
          className="btn btn-sm"
          disabled={freezing !== undefined}
          title="Puts a still of this frame in its place, for each of them and for all frames, and removes the lane"
          onClick={freeze}
        >
          {freezing ? 'Freezing …' : `Freeze frame ${frame}`}
        </button>
        <button
          type="button"
          className="btn btn-sm"
          title="It leaves the picture and stays on the desk as a matte lane, so that the others keep what they take"
          onClick={() => {
            edit(`Take ${lane.name} out of the picture`, (c) =>
              editLane(c, laneId, (l) => {
                l.kind = 'matte'
              }),
            )
            close()
          }}
        >
          Keep it for them only
        </button>
        <button
          type="button"
          className="btn btn-sm btn-error"
          onClick={() => {
            edit(`Remove lane ${lane.name} and its links`, (c) => dropLane(cutLinksTo(c, laneId), laneId))
            set({ selection: undefined })
            close()
          }}
        >
          Cut the links and remove
        </button>
      </div>
    </dialog>
  )
}

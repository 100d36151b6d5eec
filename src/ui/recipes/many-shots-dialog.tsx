'use client'

import { useQuery } from '@tanstack/react-query'
import { useEffect, useRef, useState } from 'react'
import { revisionAnswer, shotAnswer, shotsAnswer } from '../../contracts/answers.ts'
import { masterId } from '../../core/comp/edits.ts'
import { findStep, type Comp, type Lane } from '../../core/comp/schema.ts'
import type { MediaTable } from '../../core/comp/media.ts'
import { lookOnto } from '../../core/recipes/other-shot.ts'
import { putRecipe, type RecipeFile } from '../../core/recipes/recipe-file.ts'
import { requestJson } from '../request-json.ts'
import { useShotContext } from '../shot/shot-context.tsx'

interface Tried {
  readonly comp: Comp
  readonly base: number
  readonly lost: readonly string[]
}

/** The lane of a shot that has most passes behind it: where work on it begins. */
function mainLane({ lanes }: Comp, media: MediaTable): Lane | undefined {
  const passes = ({ source }: Lane) =>
    source.type === 'pass' ? (media[source.media]?.passes.length ?? 0) : 0
  return lanes
    .filter((l) => l.kind === 'picture' && l.in === undefined)
    .toSorted((a, b) => passes(b) - passes(a))[0]
}

/** A recipe at the end of a shot's main lane; what it wants and does not find there is told. */
function withRecipe(comp: Comp, media: MediaTable, file: RecipeFile): Omit<Tried, 'base'> {
  const lane = mainLane(comp, media)
  const at = lane ? lane.steps.length : comp.master.length
  const [next, id] = putRecipe(comp, media, file, lane?.id ?? masterId, at)
  const step = findStep(next, id)!
  const open = (step.recipe?.inputs ?? []).filter((i) => i.required && !step.feeds[i.key])
  return { comp: next, lost: open.map((i) => i.name) }
}

/** *For many shots*: puts a recipe, or the whole look of this shot, onto chosen ones; says first what could not be connected in each. */
export function ManyShotsDialog({
  file,
  onClose,
}: {
  file: RecipeFile | undefined
  onClose: (said?: string) => void
}) {
  const { id, store } = useShotContext()
  const dialog = useRef<HTMLDialogElement>(null)
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set())
  const [tried, setTried] = useState<ReadonlyMap<string, Tried | string>>(new Map())
  const [isBusy, setIsBusy] = useState(false)
  const { data, error } = useQuery({
    queryKey: ['shots'],
    queryFn: () => requestJson(shotsAnswer, '/api/shots'),
  })
  const shots = (data?.shots ?? []).filter((s) => s.id !== id)
  const words = (problem: unknown) => (problem instanceof Error ? problem.message : String(problem))
  useEffect(() => {
    dialog.current?.showModal()
  }, [])

  const look = async (shotId: string) => {
    if (tried.has(shotId)) return
    let outcome: Tried | string
    try {
      const { comp, media, revision } = await requestJson(shotAnswer, `/api/shots/${shotId}`)
      const state = store.getState()
      const made = file ? withRecipe(comp, media, file) : lookOnto(state, { comp, media })
      outcome = { ...made, base: revision }
    } catch (problem) {
      outcome = words(problem)
    }
    setTried((all) => new Map(all).set(shotId, outcome))
  }
  const put = async () => {
    setIsBusy(true)
    let count = 0
    const failed = new Map(tried)
    for (const shotId of chosen) {
      const one = tried.get(shotId)
      if (!one || typeof one === 'string') continue
      try {
        await requestJson(revisionAnswer, `/api/shots/${shotId}/comp`, 'PUT', {
          base: one.base,
          comp: one.comp,
        })
        count++
      } catch (problem) {
        failed.set(shotId, words(problem))
      }
    }
    setIsBusy(false)
    setTried(failed)
    const isWhole = [...chosen].every((one) => typeof failed.get(one) === 'object')
    if (isWhole)
      onClose(
        `${file?.step.recipe!.name ?? 'The look of this shot'} is on ${count === 1 ? 'one shot' : `${count} shots`} now, as a version of each that can be undone there.`,
      )
  }
  const ready = [...chosen].filter((one) => typeof tried.get(one) === 'object').length
  return (
    <dialog
      ref={dialog}
      className="modal"
      aria-label="For many shots"
      onClose={() => {
        onClose()
      }}
    >
      <div className="modal-box flex max-h-[80vh] max-w-lg flex-col border border-base-content/15 bg-base-100 p-0 text-xs">
        <div className="border-b border-base-300 p-3">
          <h2 className="text-sm font-semibold">
            {file ? `${file.step.recipe!.name} for many shots` : 'The look of this shot for others'}
          </h2>
          <p className="text-base-content/65">
            {file
              ? 'It comes to the end of the lane that has most passes. '
              : 'Lanes, steps, drawings and viewing take the place of theirs; frame, range and media stay. '}
            Passes are found by their names and kinds.
          </p>
        </div>
        <ul className="min-h-24 flex-1 overflow-y-auto p-2">
          {shots.map((shot) => {
            const one = tried.get(shot.id)
            return (
              <li key={shot.id} className="rounded px-2 py-1 hover:bg-neutral">
                <label className="flex cursor-pointer items-center gap-2">
                  <input
                    type="checkbox"
                    className="checkbox checkbox-xs checkbox-primary"
                    checked={chosen.has(shot.id)}
                    onChange={() => {
                      const next = new Set(chosen)
                      if (!next.delete(shot.id)) next.add(shot.id)
                      setChosen(next)
                      void look(shot.id)
                    }}
                  />
                  {shot.name}
                </label>
                {chosen.has(shot.id) && one !== undefined && (
                  <p
                    className={`pl-6 ${typeof one === 'string' ? 'text-error' : one.lost.length > 0 ? 'text-warning' : 'text-base-content/60'}`}
                  >
                    {typeof one === 'string'
                      ? one
                      : one.lost.length > 0
                        ? `Not connected: ${one.lost.join('; ')}`
                        : 'All is connected.'}
                  </p>
                )}
              </li>
            )
          })}
          {shots.length === 0 && data && (
            <li className="p-3 text-base-content/60">There is no other shot yet.</li>
          )}
          {error && (
            <li role="alert" className="p-3 text-error">
              {error.message}
            </li>
          )}
        </ul>
        <div className="flex items-center gap-2 border-t border-base-300 p-3">
          <button
            type="button"
            className="btn btn-primary btn-sm"
            disabled={ready === 0 || isBusy}
            onClick={() => void put()}
          >
            {isBusy ? 'Saving …' : `Put it on ${ready === 1 ? 'one shot' : `${ready} shots`}`}
          </button>
          <button type="button" className="btn btn-ghost btn-sm" onClick={() => dialog.current?.close()}>
            Cancel
          </button>
        </div>
      </div>
      <form method="dialog" className="modal-backdrop">
        <button aria-label="Close">close</button>
      </form>
    </dialog>
  )
}

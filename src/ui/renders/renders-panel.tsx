'use client'

import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { madeAnswer, rendersAnswer, type ShownRender } from '../../contracts/answers.ts'
import { parseComp } from '../../core/comp/schema.ts'
import { requestJson } from '../request-json.ts'
import { useShotContext } from '../shot/shot-context.tsx'
import { draftOf, usualDraft, type Draft } from './draft.ts'
import { Machines } from './machines.tsx'
import { RenderCard } from './render-card.tsx'
import { RenderForm } from './render-form.tsx'

/** As many as the server lists. */
const mostListed = 50

/** Asks for renders of the shot and lists those there are. */
export function RendersPanel({ shotName }: { shotName: string }) {
  const { id, store } = useShotContext()
  const queryKey = ['renders', id]
  const queries = useQueryClient()
  const { data, error } = useQuery({
    queryKey,
    queryFn: () => requestJson(rendersAnswer, `/api/shots/${id}/renders`),
  })
  const renders = data?.renders
  // What was asked for last is where the next begins.
  const last = renders?.[0]
  const [chosen, setChosen] = useState<Draft>()
  const draft = chosen ?? (last ? draftOf(last) : usualDraft)
  const [said, setSaid] = useState<string>()
  const renew = () => void queries.invalidateQueries({ queryKey })

  /** Puts the comp of a render in the place of this one, as one change that can be undone. */
  const openAsItWas = async ({ id: renderId, version }: ShownRender) => {
    try {
      const made = await requestJson(madeAnswer, `/api/renders/${renderId}/made`, 'POST')
      const comp = parseComp(made.comp)
      const { edit, set, selection } = store.getState()
      const isThere = comp.lanes.some(
        (l) =>
          l.id === selection?.lane &&
          (selection.step === undefined || l.steps.some((s) => s.id === selection.step)),
      )
      set({
        media: made.media,
        opened: [],
        selection: isThere ? selection : comp.lanes[0] && { lane: comp.lanes[0].id },
      })
      edit(`Open as render ${version} was`, () => comp)
      const back =
        made.beside.length === 0
          ? ''
          : ` Its files of then stand beside those of now: ${made.beside.join(', ')}.`
      const gone =
        made.lost === 0
          ? ''
          : ` ${made.lost === 1 ? 'One file of then is' : `${made.lost} files of then are`} no longer there.`
      const build = made.isOtherBuild
        ? ' Frames of it were made by another build of Zafiro, so that fine differences are possible.'
        : ''
      setSaid(`The shot is as render ${version} was.${back}${gone}${build} Undo brings the desk back.`)
    } catch (problem) {
      setSaid(problem instanceof Error ? problem.message : String(problem))
    }
  }
  const wipe = ({ id: renderId, frames }: ShownRender, chosenFrame?: number) => {
    const now = store.getState().frame
    const there = frames.filter((f) => f.files.length > 0).map((f) => f.frame)
    const wanted = chosenFrame ?? now
    const frame = there.includes(wanted) ? wanted : (there[0] ?? now)
    store.getState().set({ frame, compare: { left: 'picture', right: `render ${renderId}`, at: 0.5 } })
  }

  return (
    <section aria-label="Renders" className="flex h-full gap-6 overflow-hidden bg-base-200 p-4">
      <RenderForm
        shotName={shotName}
        draft={draft}
        versions={renders ?? []}
        onChange={setChosen}
        onAsked={renew}
      />
      <div className="flex min-w-0 flex-1 flex-col gap-2">
        <Machines isInShot />
        {said !== undefined && (
          <p role="status" className="text-xs text-base-content/75">
            {said}
          </p>
        )}
        {error && (
          <p role="alert" className="text-xs text-error">
            {error.message}
          </p>
        )}
        <ul className="min-h-0 flex-1 space-y-2 overflow-y-auto">
          {renders?.map((render) => (
            <RenderCard
              key={render.id}
              render={render}
              onGone={renew}
              onWipe={wipe}
              onOpenAsItWas={openAsItWas}
            />
          ))}
          {renders !== undefined && renders.length >= mostListed && (
            <li className="px-4 text-xs text-base-content/60">
              The newest {mostListed} renders are listed; the files of older ones stay in the data folder.
            </li>
          )}
          {renders?.length === 0 && (
            <li className="pt-6 text-center text-base-content/55">
              Nothing has been rendered from this shot yet.
            </li>
          )}
        </ul>
      </div>
    </section>
  )
}

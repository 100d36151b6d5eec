'use client'

import { useQuery, useQueryClient } from '@tanstack/react-query'
import Link from 'next/link'
import { useState, type DragEvent } from 'react'
import { allRendersAnswer, doneAnswer, type ShownRender } from '../../contracts/answers.ts'
import { Mark } from '../mark.tsx'
import { requestJson } from '../request-json.ts'
import { Machines } from './machines.tsx'
import { RenderCard } from './render-card.tsx'

const everyMs = 5000
/** As many as the server lists. */
const mostListed = 60
const queryKey = ['all renders']
const isOpen = ({ frames, follows }: ShownRender) =>
  follows || frames.some((f) => f.state === 'waiting' || f.state === 'working')

/** Renders of all shots: what is under way in its order, which is changed by dragging, then what is through. */
export function AllRenders() {
  const queries = useQueryClient()
  const { data, error } = useQuery({
    queryKey,
    queryFn: () => requestJson(allRendersAnswer, '/api/renders'),
    refetchInterval: everyMs,
  })
  const [dragged, setDragged] = useState<string>()
  const [over, setOver] = useState<string>()
  const [failure, setFailure] = useState<string>()
  const renew = () => void queries.invalidateQueries({ queryKey })
  const drop = async (other: string) => {
    setOver(undefined)
    setDragged(undefined)
    if (dragged === undefined || dragged === other) return
    try {
      await requestJson(doneAnswer, `/api/renders/${dragged}`, 'POST', { action: 'before', other })
      setFailure(undefined)
    } catch (problem) {
      setFailure(problem instanceof Error ? problem.message : String(problem))
    }
    renew()
  }
  const open = data?.renders.filter(({ render }) => isOpen(render)) ?? []
  const through = data?.renders.filter(({ render }) => !isOpen(render)) ?? []
  const dragging = (id: string) => ({
    draggable: true,
    onDragStart: (event: DragEvent) => {
      event.dataTransfer.effectAllowed = 'move'
      event.dataTransfer.setData('text/plain', id)
      setDragged(id)
    },
    onDragEnd: () => {
      setDragged(undefined)
      setOver(undefined)
    },
    onDragOver: (event: DragEvent) => {
      if (dragged === undefined) return
      event.preventDefault()
      setOver(id)
    },
    onDrop: (event: DragEvent) => {
      event.preventDefault()
      void drop(id)
    },
  })
  const words = failure ?? error?.message
  return (
    <main className="mx-auto flex h-screen max-w-5xl flex-col gap-3 p-6">
      <header className="flex shrink-0 items-center gap-3">
        <Mark />
        <h1 className="text-lg font-semibold">Renders of all shots</h1>
        <Link href="/" className="btn btn-ghost btn-sm ml-auto">
          All shots
        </Link>
      </header>
      <Machines />
      {words !== undefined && (
        <p role="alert" className="text-sm text-error">
          {words}
        </p>
      )}
      <div className="min-h-0 flex-1 space-y-4 overflow-y-auto">
        {open.length > 0 && (
          <section aria-label="Under way" className="space-y-2">
            <h2 className="text-xs text-base-content/65">
              Under way, in this order{open.length > 1 && '; drag one before another'}
            </h2>
            <ul className="space-y-2">
              {open.map(({ render, shotName }) => (
                <li
                  key={render.id}
                  data-testid="queued-render"
                  className={`rounded ${over === render.id && dragged !== render.id ? 'border-t-2 border-accent' : ''} ${dragged === render.id ? 'opacity-50' : ''}`}
                  {...dragging(render.id)}
                >
                  <ul>
                    <RenderCard render={render} shotName={shotName} onGone={renew} />
                  </ul>
                </li>
              ))}
            </ul>
          </section>
        )}
        {through.length > 0 && (
          <section aria-label="Through" className="space-y-2">
            <h2 className="text-xs text-base-content/65">Through, the newest first</h2>
            <ul className="space-y-2">
              {through.map(({ render, shotName }) => (
                <RenderCard key={render.id} render={render} shotName={shotName} onGone={renew} />
              ))}
            </ul>
          </section>
        )}
        {data !== undefined && data.renders.length >= mostListed && (
          <p className="text-xs text-base-content/60">
            {mostListed} renders are listed; older ones are with their shots.
          </p>
        )}
        {data?.renders.length === 0 && (
          <p className="pt-10 text-center text-sm text-base-content/55">
            Nothing has been rendered yet. Open a shot and ask for a render there.
          </p>
        )}
      </div>
    </main>
  )
}

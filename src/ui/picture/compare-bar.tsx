'use client'

import { Camera, Trash2, X } from 'lucide-react'
import { useState } from 'react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { rendersAnswer, stillsAnswer, type Still } from '../../contracts/answers.ts'
import { requestJson } from '../request-json.ts'
import { useShot, useShotContext } from '../shot/shot-context.tsx'
import type { SideName } from '../shot/shot-store.ts'
import { sidesOf } from './compare.ts'

/** The two sides of the wipe, and the stills that can be one of them. */
export function CompareBar() {
  const { id, store } = useShotContext()
  const { set } = store.getState()
  const compare = useShot((s) => s.compare)
  const comp = useShot((s) => s.comp)
  const other = useShot((s) => s.otherLook)
  const [failure, setFailure] = useState<string>()
  const isOpen = compare !== undefined
  const queries = useQueryClient()
  const queryKey = ['stills', id]
  const found = useQuery({
    queryKey,
    queryFn: () => requestJson(stillsAnswer, `/api/shots/${id}/stills`),
    enabled: isOpen,
  })
  const stills: readonly Still[] = found.data?.stills ?? []
  const made = useQuery({
    queryKey: ['renders', id],
    queryFn: () => requestJson(rendersAnswer, `/api/shots/${id}/renders`),
    enabled: isOpen,
  })
  const renders = made.data?.renders ?? []
  if (!compare) return null
  const otherFrame = compare.right.startsWith('frame ') ? Number(compare.right.slice(6)) : undefined
  const sides = [
    ...sidesOf(comp, other),
    [`frame ${otherFrame ?? store.getState().frame}`, 'the picture on frame …'] as [SideName, string],
    ...renders.map((r): [SideName, string] => [`render ${r.id}`, `render ${r.version}, this frame`]),
    ...stills.map((s): [SideName, string] => [`still ${s.id}`, `still ${s.name}`]),
  ]
  const choose = (which: 'left' | 'right') => (
    <select
      aria-label={which === 'left' ? 'Left of the wipe' : 'Right of the wipe'}
      className="max-w-44 truncate rounded bg-base-100 px-1.5 py-0.5"
      value={compare[which]}
      onChange={(e) => {
        set({ compare: { ...compare, [which]: e.target.value as SideName } })
      }}
    >
      {sides
        // Stills and other frames are laid over; what is under them is the picture that is worked on.
        .filter(([side]) => which === 'right' || !/^(still|frame|render)/.test(side))
        .map(([side, words]) => (
          <option key={side} value={side}>
            {words}
          </option>
        ))}
    </select>
  )
  const tell = (error: unknown) => {
    setFailure(error instanceof Error ? error.message : String(error))
  }
  const keep = () => {
    const { frame } = store.getState()
    const canvas = document.querySelector<HTMLCanvasElement>('canvas[data-testid=picture]')
    canvas?.toBlob((blob) => {
      if (!blob) return
      const name = `frame ${frame}, ${new Date().toLocaleTimeString()}`
      requestJson(
        stillsAnswer,
        `/api/shots/${id}/stills?frame=${frame}&name=${encodeURIComponent(name)}`,
        'POST',
        blob,
      ).then((answer) => {
        queries.setQueryData(queryKey, answer)
        if (answer.stills[0]) set({ compare: { ...compare, right: `still ${answer.stills[0].id}` } })
      }, tell)
    })
  }
  const shownStill = compare.right.startsWith('still ') ? compare.right.slice(6) : undefined
  return (
    <div className="absolute left-1/2 top-2 z-20 flex -translate-x-1/2 items-center gap-2 rounded bg-base-300/90 px-2 py-1 text-xs">
      {choose('left')}
      <span className="text-base-content/50">│</span>
      {choose('right')}
      {otherFrame !== undefined && (
        <input
          type="number"
          aria-label="Frame of the right side"
          className="w-16 rounded bg-base-100 px-1.5 py-0.5"
          min={comp.frames.first}
          max={comp.frames.last}
          value={otherFrame}
          onChange={(e) => {
            const frame = Math.round(e.target.valueAsNumber)
            if (frame >= comp.frames.first && frame <= comp.frames.last)
              set({ compare: { ...compare, right: `frame ${frame}` } })
          }}
        />
      )}
      <button
        type="button"
        className="btn btn-xs"
        title="Keeps the picture as it is now, with the shot"
        onClick={keep}
      >
        <Camera size={13} aria-hidden /> Keep a still
      </button>
      {shownStill !== undefined && (
        <button
          type="button"
          className="btn btn-ghost btn-xs btn-square"
          aria-label="Delete this still"
          onClick={() => {
            requestJson(stillsAnswer, `/api/shots/${id}/stills/${shownStill}`, 'DELETE').then((answer) => {
              queries.setQueryData(queryKey, answer)
              set({ compare: { ...compare, right: 'before' } })
            }, tell)
          }}
        >
          <Trash2 size={13} aria-hidden />
        </button>
      )}
      <button
        type="button"
        className="btn btn-ghost btn-xs btn-square"
        aria-label="End the comparison"
        onClick={() => {
          set({ compare: undefined })
        }}
      >
        <X size={13} aria-hidden />
      </button>
      {failure && (
        <span role="alert" className="text-error">
          {failure}
        </span>
      )}
    </div>
  )
}

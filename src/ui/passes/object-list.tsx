'use client'

import { useVirtualizer } from '@tanstack/react-virtual'
import { useRef, useState } from 'react'
import { idColour } from '../../core/passes/draw.ts'
import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { objectsAnswer, type ListedObject } from '../../contracts/answers.ts'
import { requestJson } from '../request-json.ts'
import { useShot, useShotContext } from '../shot/shot-context.tsx'

/** Height of a row of the list. */
const rowPx = 24
/** The server lists no more of a pass. */
const mostObjects = 5000

/** Objects of an ID pass at this frame, by name where one is known; undefined while they are asked for. */
export function useObjects(mediaRef: string, pass: string): readonly ListedObject[] | undefined {
  const { id } = useShotContext()
  const frame = useShot((s) => s.frame)
  const frames = useShot((s) => s.media[mediaRef]?.frames)
  const query = new URLSearchParams({ media: mediaRef, pass, frame: String(frame) })
  const found = useQuery({
    // Frames that arrive may hold others.
    queryKey: ['objects', id, mediaRef, pass, frame, frames],
    queryFn: () => requestJson(objectsAnswer, `/api/shots/${id}/objects?${query}`),
    staleTime: Infinity,
    placeholderData: keepPreviousData,
  })
  return found.isError ? [] : found.data?.objects
}

/** The name of an object, or its number where it has none. */
export const objectName = ({ id, name }: Pick<ListedObject, 'id' | 'name'>) => name ?? `no name, ${id}`

/** Objects to pick from by name. A click takes one alone, with Shift further ones; or every click adds or takes out, where `adds`. */
export function ObjectList({
  objects,
  picked,
  onPick,
  none,
  adds = false,
}: {
  objects: readonly ListedObject[] | undefined
  picked: readonly string[]
  onPick: (ids: readonly string[]) => void
  /** What it is called to pick none. */
  none: string
  adds?: boolean
}) {
  const [search, setSearch] = useState('')
  const found = (objects ?? []).filter((o) => objectName(o).toLowerCase().includes(search.toLowerCase()))
  const scroller = useRef<HTMLDivElement>(null)
  // Thousands of objects scroll as a few do.
  // eslint-disable-next-line react-hooks/incompatible-library -- its functions are used while rendering alone
  const rows = useVirtualizer({
    count: found.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => rowPx,
    getItemKey: (i) => found[i]!.id,
    overscan: 6,
  })
  const total = (objects ?? []).reduce((sum, o) => sum + o.pixels, 0)
  return (
    <div className="flex min-h-0 flex-col gap-1.5">
      <div className="flex items-center gap-2">
        <input
          type="search"
          aria-label="Find an object"
          placeholder={
            objects
              ? `Find among ${objects.length >= mostObjects ? `the ${mostObjects} largest` : objects.length} objects`
              : 'Listing objects …'
          }
          className="input input-xs flex-1"
          value={search}
          onChange={(e) => {
            setSearch(e.target.value)
          }}
        />
        {picked.length > 0 && (
          <button
            type="button"
            className="btn btn-ghost btn-xs"
            onClick={() => {
              onPick([])
            }}
          >
            {none}
          </button>
        )}
      </div>
      <div ref={scroller} className="max-h-56 overflow-y-auto">
        <ul aria-label="Objects" className="relative" style={{ height: rows.getTotalSize() }}>
          {rows.getVirtualItems().map(({ index, start }) => {
            const object = found[index]!
            const isPicked = picked.includes(object.id)
            const [r, g, b] = idColour(Number.parseInt(object.id, 16), 1)
            return (
              <li
                key={object.id}
                className="absolute inset-x-0"
                style={{ top: start, height: rowPx }}
                aria-setsize={found.length}
                aria-posinset={index + 1}
              >
                <button
                  type="button"
                  aria-pressed={isPicked}
                  className={`flex w-full items-center gap-2 px-1.5 py-0.5 text-left ${isPicked ? 'bg-primary/40' : 'hover:bg-base-300'}`}
                  title={
                    adds ? 'Add it or take it out' : 'Show its matte; Shift adds to those that are shown'
                  }
                  onClick={(event) => {
                    const others = picked.filter((id) => id !== object.id)
                    if (adds || event.shiftKey) onPick(isPicked ? others : [...picked, object.id])
                    else onPick(isPicked && others.length === 0 ? [] : [object.id])
                  }}
                >
                  <span className="size-2.5 shrink-0" style={{ background: `rgb(${r} ${g} ${b})` }} />
                  <span className={`min-w-0 flex-1 truncate ${object.name ? '' : 'text-base-content/55'}`}>
                    {objectName(object)}
                  </span>
                  <span className="text-xs text-base-content/55">
                    {((object.pixels / total) * 100).toFixed(1)} %
                  </span>
                </button>
              </li>
            )
          })}
        </ul>
      </div>
    </div>
  )
}

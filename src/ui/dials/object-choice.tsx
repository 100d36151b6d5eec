'use client'

import { Crosshair } from 'lucide-react'
import { useState } from 'react'
import { ObjectList, objectName, useObjects } from '../passes/object-list.tsx'
import { usePick } from './use-pick.ts'

/**
 * Picks objects of an ID pass for a chip: from a list that can be searched, or by clicking on them in the picture; one that is picked already
 * is taken out.
 */
export function ObjectChoice({
  media,
  pass,
  picked,
  onPick,
}: {
  media: string
  pass: string
  picked: readonly string[]
  onPick: (ids: readonly string[]) => void
}) {
  const listed = useObjects(media, pass)
  const [isOpen, setIsOpen] = useState(false)
  const absent = listed ? picked.filter((id) => !listed.some((o) => o.id === id)) : []
  const name = (id: string) => objectName(listed?.find((o) => o.id === id) ?? { id })
  const { isPicking, toggle } = usePick(
    {
      words: 'Click on objects to add them, or to take them out',
      isKept: true,
      over: { media, pass },
      of: { type: 'pass', media, pass },
    },
    ({ object }) => {
      if (object === undefined) return
      onPick(picked.includes(object) ? picked.filter((p) => p !== object) : [...picked, object])
    },
  )
  return (
    <>
      <button
        type="button"
        aria-pressed={isPicking}
        aria-label="Pick objects from the picture"
        title="Click on objects in the picture to add them or take them out"
        className={`rounded p-0.5 ${isPicking ? 'bg-accent text-accent-content' : 'hover:bg-base-100'}`}
        onClick={toggle}
      >
        <Crosshair size={12} aria-hidden />
      </button>
      <button
        type="button"
        aria-label="Objects of the matte"
        aria-expanded={isOpen}
        className={`min-w-0 max-w-36 truncate rounded px-1 ${isOpen ? 'bg-accent text-accent-content' : 'hover:bg-base-100'}`}
        title="Objects whose cover is the matte; click for the list"
        onClick={() => {
          setIsOpen(!isOpen)
        }}
      >
        {picked.length === 0 ? 'pick objects' : picked.map(name).join(', ')}
      </button>
      {absent.length > 0 && (
        <span
          className="text-warning"
          title={`On this frame there is nothing of ${absent.map(name).join(', ')}`}
        >
          {absent.length === picked.length ? 'not on this frame' : `${absent.length} not on this frame`}
        </span>
      )}
      {isOpen && (
        <div className="order-last w-full py-1 pr-1">
          <ObjectList objects={listed} picked={picked} onPick={onPick} none="None" adds />
        </div>
      )}
    </>
  )
}

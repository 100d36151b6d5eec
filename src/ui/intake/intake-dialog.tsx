'use client'

import { Folder, FolderUp } from 'lucide-react'
import { useEffect, useRef, useState } from 'react'
import { intakeAnswer, type IntakeListing } from '../../contracts/answers.ts'
import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { requestJson } from '../request-json.ts'

const joined = (path: string, name: string) => (path === '' ? name : `${path}/${name}`)

/** Picks sequences and pictures out of the folder that the server has for frames. */
export function IntakeDialog({
  onPick,
  onClose,
}: {
  onPick: (paths: readonly string[]) => void
  onClose: () => void
}) {
  const dialog = useRef<HTMLDialogElement>(null)
  const [path, setPath] = useState('')
  const [picked, setPicked] = useState<ReadonlySet<string>>(new Set())
  useEffect(() => {
    dialog.current?.showModal()
  }, [])
  const { data: listing, error } = useQuery({
    queryKey: ['intake', path],
    queryFn: () => requestJson(intakeAnswer, `/api/intake?path=${encodeURIComponent(path)}`),
    staleTime: 0,
    placeholderData: keepPreviousData,
  })
  // A folder of frames is mostly wanted whole.
  const [pickedOf, setPickedOf] = useState<IntakeListing>()
  if (listing && listing !== pickedOf) {
    setPickedOf(listing)
    setPicked(new Set(listing.sequences.map((s) => s.name)))
  }
  const sequences = listing?.sequences ?? []
  const wanted = sequences.filter((s) => picked.has(s.name)).flatMap((s) => s.files)
  const toggle = (name: string) => {
    const next = new Set(picked)
    if (!next.delete(name)) next.add(name)
    setPicked(next)
  }
  return (
    <dialog
      ref={dialog}
      aria-label="Bring in from the intake folder"
      className="m-auto w-[36rem] max-w-full border border-base-content/20 bg-base-100 p-0 text-base-content backdrop:bg-black/50"
      onClose={onClose}
    >
      <div className="flex max-h-[70vh] flex-col">
        <header className="border-b border-base-300 px-4 py-2.5">
          <h2 className="font-semibold">From the intake folder</h2>
          <p className="truncate text-xs text-base-content/60" title={listing?.root}>
            {listing ? joined(listing.root, path) : '…'}
          </p>
        </header>
        {error && (
          <p role="alert" className="bg-error/20 px-4 py-1.5">
            {error.message}
          </p>
        )}
        <ul className="min-h-40 flex-1 overflow-y-auto py-1">
          {path !== '' && (
            <li>
              <button
                type="button"
                className="flex w-full items-center gap-2 px-4 py-1 text-left hover:bg-neutral"
                onClick={() => {
                  setPath(path.includes('/') ? path.slice(0, path.lastIndexOf('/')) : '')
                }}
              >
                <FolderUp size={14} aria-hidden /> One folder up
              </button>
            </li>
          )}
          {listing?.folders.map((name) => (
            <li key={name}>
              <button
                type="button"
                className="flex w-full items-center gap-2 px-4 py-1 text-left hover:bg-neutral"
                onClick={() => {
                  setPath(joined(path, name))
                }}
              >
                <Folder size={14} aria-hidden /> {name}
              </button>
            </li>
          ))}
          {sequences.map((s) => (
            <li key={s.name}>
              <label className="flex cursor-pointer items-center gap-2 px-4 py-1 hover:bg-neutral">
                <input
                  type="checkbox"
                  className="checkbox checkbox-xs"
                  checked={picked.has(s.name)}
                  onChange={() => {
                    toggle(s.name)
                  }}
                />
                <span className="min-w-0 flex-1 truncate">{s.name}</span>
                <span className="shrink-0 text-xs text-base-content/60">{s.frames || 'still'}</span>
              </label>
            </li>
          ))}
          {listing && sequences.length === 0 && (
            <li className="px-4 py-3 text-base-content/65">
              No pictures here. Put frames into this folder on the server, or drop them on the page instead.
            </li>
          )}
        </ul>
        <footer className="flex items-center justify-end gap-2 border-t border-base-300 px-4 py-2.5">
          <button type="button" className="btn btn-sm btn-ghost" onClick={onClose}>
            Cancel
          </button>
          <button
            type="button"
            className="btn btn-sm btn-primary"
            disabled={wanted.length === 0}
            onClick={() => {
              onPick(wanted.map((name) => joined(path, name)))
            }}
          >
            Bring in {wanted.length} {wanted.length === 1 ? 'file' : 'files'}
          </button>
        </footer>
      </div>
    </dialog>
  )
}

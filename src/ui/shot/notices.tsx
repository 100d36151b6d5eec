'use client'

import { X } from 'lucide-react'
import { useState } from 'react'
import { ago } from '../ago.ts'
import { useShot } from './shot-context.tsx'

/** Two pages work on one shot: says so and lets the person decide. */
export function ConflictNotice({ onKeepMine }: { onKeepMine: () => void }) {
  const saving = useShot((s) => s.saving)
  if (saving.type !== 'conflict') return null
  return (
    <div role="alert" className="flex items-center gap-3 bg-warning px-4 py-1.5 text-warning-content">
      <span>
        This shot was changed in another window {ago(saving.savedAt)}. Nothing here has been saved over it.
      </span>
      <button
        type="button"
        className="btn btn-xs ml-auto"
        onClick={() => {
          window.location.reload()
        }}
      >
        Show theirs
      </button>
      <button type="button" className="btn btn-xs" onClick={onKeepMine}>
        Keep mine as the newest
      </button>
    </div>
  )
}

/** What keeps the picture from being whole: failures of the engine, missing parts, and notes on the media. */
export function FailureNotice({ notes }: { notes: readonly string[] }) {
  const failure = useShot((s) => s.failure)
  const [isNoted, setIsNoted] = useState(false)
  return (
    <>
      {failure && (
        <div role="alert" className="bg-error px-4 py-1.5 text-error-content">
          {failure}
        </div>
      )}
      {notes.length > 0 && !isNoted && (
        <div role="status" className="flex items-center gap-3 bg-neutral px-4 py-1 text-neutral-content">
          <span className="truncate">{notes.join(' · ')}</span>
          <button
            type="button"
            className="btn btn-ghost btn-xs ml-auto"
            aria-label="Dismiss"
            onClick={() => {
              setIsNoted(true)
            }}
          >
            <X size={14} aria-hidden />
          </button>
        </div>
      )}
    </>
  )
}

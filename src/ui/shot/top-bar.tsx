'use client'

import { Download, Redo2, Undo2 } from 'lucide-react'
import Link from 'next/link'
import { useEffect, useState } from 'react'
import { useStore } from 'zustand'
import { ago } from '../ago.ts'
import { Mark } from '../mark.tsx'
import { ShortcutSheet } from '../shortcuts/shortcut-sheet.tsx'
import { useShot, useShotContext } from './shot-context.tsx'
import { mostUndone } from './shot-store.ts'
import { Transport } from './transport.tsx'

function SavedLine() {
  const { saveNow } = useShotContext()
  const state = useShot((s) => s.saving)
  const [, tick] = useState(0)
  useEffect(() => {
    const timer = setInterval(() => {
      tick((n) => n + 1)
    }, 5000)
    return () => {
      clearInterval(timer)
    }
  }, [])
  switch (state.type) {
    case 'saved':
      return <span suppressHydrationWarning>saved {ago(state.at)}</span>
    case 'waiting':
    case 'saving':
      return <span>saving …</span>
    case 'refused':
    case 'conflict':
      return <span className="text-warning">not saved</span>
    case 'failed':
      return (
        <span className="text-error" role="alert">
          not saved: {state.message}{' '}
          <button type="button" className="link" onClick={() => void saveNow()}>
            Try again
          </button>
        </span>
      )
  }
}

/** Undo and redo, named by what they take back. Apart from the rest of the bar, as each edit draws them anew. */
function History() {
  const { store } = useShotContext()
  const editName = useShot((s) => s.editName)
  const undoCount = useStore(store.temporal, (t) => t.pastStates.length)
  const redoName = useStore(store.temporal, (t) => t.futureStates.at(-1)?.editName)
  const { undo, redo } = store.temporal.getState()
  return (
    <>
      <button
        type="button"
        className="btn btn-ghost btn-xs"
        disabled={undoCount === 0}
        title={
          undoCount >= mostUndone
            ? `Undo: ${editName} (Ctrl+Z). The last ${mostUndone} changes can be undone.`
            : undoCount
              ? `Undo: ${editName} (Ctrl+Z)`
              : 'Nothing to undo'
        }
        onClick={() => {
          undo()
        }}
      >
        <Undo2 size={15} aria-hidden /> Undo
      </button>
      <button
        type="button"
        className="btn btn-ghost btn-xs"
        disabled={redoName === undefined}
        title={redoName ? `Redo: ${redoName} (Ctrl+Shift+Z)` : 'Nothing to redo'}
        onClick={() => {
          redo()
        }}
      >
        <Redo2 size={15} aria-hidden /> Redo
      </button>
    </>
  )
}

/** Shot, frame, history and the way to a render. */
export function TopBar({
  shotId,
  shotName,
  onRender,
}: {
  shotId: string
  shotName: string
  onRender: () => void
}) {
  return (
    <header className="flex h-10 shrink-0 items-center gap-3 border-b border-base-300 bg-base-100 px-3">
      <Link href="/" className="flex items-center gap-2 font-semibold" title="All shots">
        <Mark size={20} />
        Zafiro
      </Link>
      <span className="text-base-content/40">/</span>
      <h1 className="min-w-16 max-w-72 truncate font-medium" title={shotName}>
        {shotName}
      </h1>
      {/* Wide enough for all that it says while all is well: the frames beside it stand still. */}
      <span className="min-w-24 max-w-96 truncate text-xs text-base-content/60" data-testid="save-state">
        <SavedLine />
      </span>
      <div className="mx-auto">
        <Transport />
      </div>
      <History />
      <a
        className="btn btn-ghost btn-xs"
        href={`/api/shots/${shotId}/file`}
        title="Save the setup as a shot file, for the command line"
      >
        <Download size={15} aria-hidden /> Shot file
      </a>
      <ShortcutSheet />
      <button type="button" className="btn btn-primary btn-sm" onClick={onRender}>
        Render …
      </button>
    </header>
  )
}

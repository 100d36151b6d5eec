'use client'

import { useCallback, useMemo, useRef, useState } from 'react'
import { bringInFiles, nameOf, withNewMedia, type BringInProgress, type Incoming } from '../bring-in.ts'
import type { ShotStore } from '../shot/shot-store.ts'

export interface BringIn {
  readonly progress: BringInProgress | undefined
  /** What was refused last, and what else is to be said of it. */
  readonly notes: readonly string[]
  readonly start: (files: readonly Incoming[]) => Promise<void>
  readonly cancel: () => void
  readonly dismiss: () => void
}

/** Brings files into the open shot, with progress, and puts new media on the desk as lanes. */
export function useBringIn(shotId: string, store: ShotStore): BringIn {
  const [progress, setProgress] = useState<BringInProgress>()
  const [notes, setNotes] = useState<readonly string[]>([])
  const stopper = useRef<AbortController>(undefined)
  const start = useCallback(
    async (files: readonly Incoming[]) => {
      if (files.length === 0 || stopper.current) return
      const { signal } = (stopper.current = new AbortController())
      setNotes([])
      const { edit, set } = store.getState()
      const before = store.getState().media
      try {
        const { media, refused, known } = await bringInFiles(shotId, files, setProgress, signal)
        const skipped =
          known > 0 ? [`${known} of ${files.length} files are in this shot already, unchanged.`] : []
        const cut = signal.aborted
          ? ['Cancelled. What had come in stays; bring in the rest when you like.']
          : []
        const tables = Object.entries(media ?? {}).flatMap(([ref, { name, passes }]) =>
          !(ref in before) && passes.some((p) => p.kind === 'table')
            ? [
                `${name} is a colour table: choose it as the table of a look table step, or above the picture to look through it.`,
              ]
            : [],
        )
        setNotes([...refused, ...skipped, ...tables, ...cut])
        if (!media) return
        set({ media })
        const what = files.length === 1 ? nameOf(files[0]!) : `${files.length} files`
        edit(`Bring in ${what}`, (comp) => withNewMedia(comp, before, media))
      } catch (error) {
        setNotes([error instanceof Error ? error.message : String(error)])
      } finally {
        stopper.current = undefined
        setProgress(undefined)
      }
    },
    [shotId, store],
  )
  const cancel = useCallback(() => stopper.current?.abort(), [])
  const dismiss = useCallback(() => {
    setNotes([])
  }, [])
  return useMemo(
    () => ({ progress, notes, start, cancel, dismiss }),
    [progress, notes, start, cancel, dismiss],
  )
}

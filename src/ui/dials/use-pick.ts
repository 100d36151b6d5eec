import { useEffect, useId, useRef } from 'react'
import type { Target } from '../../core/engine/plan/plan-targets.ts'
import type { Probed } from '../../core/engine/session/requests.ts'
import { useShot, useShotContext } from '../shot/shot-context.tsx'
import type { Picking } from '../shot/shot-store.ts'

/**
 * Picks from the picture by clicking on it: `toggle` begins and ends it; what lies under a click in `of` goes to `onPick`. Ends with
 * the component.
 */
export function usePick(
  { words, isKept, over, of }: Pick<Picking, 'words' | 'isKept' | 'over'> & { of: Target },
  onPick: (probed: Probed) => void,
): { readonly isPicking: boolean; readonly toggle: () => void } {
  const { engine, store } = useShotContext()
  const by = `pick ${useId()}`
  const isPicking = useShot((s) => s.picking?.by === by)
  // Clicks come later: they change what is set then.
  const latest = useRef(onPick)
  useEffect(() => {
    latest.current = onPick
  })
  useEffect(
    () => () => {
      const { picking, set } = store.getState()
      if (picking?.by === by) set({ picking: undefined })
    },
    [by, store],
  )
  const pick = ([x, y]: readonly [number, number]) => {
    const { comp, media, frame } = store.getState()
    void engine?.probe({ comp, media, frame }, x, y, { of }).then((probed) => {
      if (probed) latest.current(probed)
    })
  }
  const toggle = () => {
    const picking = { by, words, pick, ...(isKept ? { isKept } : {}), ...(over ? { over } : {}) }
    store.getState().set({ picking: isPicking ? undefined : picking })
  }
  return { isPicking, toggle }
}

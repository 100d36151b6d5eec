'use client'

import { ChevronRight } from 'lucide-react'
import { placeOfStep } from '../../core/comp/edits.ts'
import { closeTo } from './open-step.ts'
import { openedStep } from '../desk/desk-lanes.ts'
import { stepTitle } from '../desk/step-title.ts'
import { useShot, useShotContext } from '../shot/shot-context.tsx'

/** Where on the desk one is: the desk itself, then the steps that were opened. */
export function DeskPath() {
  const { store } = useShotContext()
  const opened = useShot((s) => s.opened)
  const comp = useShot((s) => s.comp)
  const isOpen = openedStep(comp, opened) !== undefined
  if (!isOpen) return null
  const goTo = (depth: number) => {
    closeTo(store, depth)
  }
  const names = opened.flatMap((id, depth) => {
    const place = placeOfStep(comp, id)
    return place ? [{ id, depth: depth + 1, name: stepTitle(place.step) }] : []
  })
  return (
    <nav aria-label="Where on the desk" className="flex items-center gap-1 text-xs">
      <button
        type="button"
        className="btn btn-ghost btn-xs"
        title="Back to the desk (Shift-O)"
        onClick={() => {
          goTo(0)
        }}
      >
        Desk
      </button>
      {names.map(({ id, depth, name }, i) => (
        <span key={id} className="flex items-center gap-1">
          <ChevronRight size={12} aria-hidden />
          {i === names.length - 1 ? (
            <span className="font-semibold text-accent">{name}</span>
          ) : (
            <button
              type="button"
              className="btn btn-ghost btn-xs"
              onClick={() => {
                goTo(depth)
              }}
            >
              {name}
            </button>
          )}
        </span>
      ))}
    </nav>
  )
}

'use client'

import { ChevronDown, ChevronRight } from 'lucide-react'
import { useEffect, useState } from 'react'
import { editStep } from '../../core/comp/edits.ts'
import type { Comp, Step } from '../../core/comp/schema.ts'
import type { Effect } from '../../core/effects/effect.ts'
import { defaultDials } from '../../core/effects/registry.ts'
import { stepTitle } from '../desk/step-title.ts'
import type { Thumb } from '../../core/engine/session/requests.ts'
import { useShot, useShotContext } from '../shot/shot-context.tsx'
import { SmallPicture } from '../small-picture.tsx'

const width = 112

/** The comp with a step's dials at a starting point; where it stands (its points) stays as it is. */
function started(comp: Comp, step: Step, effect: Effect, start: Effect['starts'][number]): Comp {
  const points = Object.entries(effect.dials).filter(([, dial]) => dial.type === 'point')
  const kept = Object.fromEntries(
    points.flatMap(([key]) => (step.dials[key] === undefined ? [] : [[key, step.dials[key]]])),
  )
  return editStep(comp, step.id, (s) => {
    s.on = true
    s.dials = { ...defaultDials(effect, comp.canvas), ...start.dials, ...kept } as typeof s.dials
  })
}

/** Named settings to begin with, each shown on the picture that is worked on. */
export function StartingPoints({ step, effect, laneId }: { step: Step; effect: Effect; laneId: string }) {
  const { engine, store } = useShotContext()
  const { edit } = store.getState()
  const [isOpen, setIsOpen] = useState(false)
  const [thumbs, setThumbs] = useState<readonly (Thumb | undefined)[]>([])
  const frame = useShot((s) => s.frame)
  const feeds = JSON.stringify([step.feeds, step.matte])
  useEffect(() => {
    if (!engine || !isOpen) return
    let isCurrent = true
    const { comp, media } = store.getState()
    const comps = effect.starts.map((start) => started(comp, step, effect, start))
    const target = { type: 'lane', lane: laneId, after: step.id } as const
    void engine.previews({ comp, media, frame }, comps, target, width).then((made) => {
      if (isCurrent && made) setThumbs(made)
    })
    return () => {
      isCurrent = false
    }
    // Not made again for every dial: a starting point replaces them all.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [engine, store, isOpen, step.id, effect, laneId, frame, feeds])
  if (effect.starts.length === 0) return null
  return (
    <div className="text-xs">
      <button
        type="button"
        className="flex items-center gap-1 text-base-content/70 hover:text-base-content"
        aria-expanded={isOpen}
        onClick={() => {
          setIsOpen(!isOpen)
        }}
      >
        {isOpen ? <ChevronDown size={13} aria-hidden /> : <ChevronRight size={13} aria-hidden />}
        Starting points
      </button>
      {isOpen && (
        <ul className="grid grid-cols-2 gap-1.5 pt-1.5" aria-label="Starting points">
          {effect.starts.map((start, i) => {
            const thumb = thumbs[i]
            return (
              <li key={start.name}>
                <button
                  type="button"
                  className="w-full overflow-hidden rounded border border-base-content/15 bg-base-300 text-left hover:border-accent"
                  onClick={() => {
                    edit(`${stepTitle(step)}: ${start.name.toLowerCase()}`, (c) =>
                      started(c, step, effect, start),
                    )
                  }}
                >
                  {thumb ? (
                    <SmallPicture picture={thumb} className="block h-20 w-full object-cover" />
                  ) : (
                    <span className="block h-20 w-full animate-pulse bg-base-200" />
                  )}
                  <span className="block px-1.5 py-0.5">{start.name}</span>
                </button>
              </li>
            )
          })}
        </ul>
      )}
    </div>
  )
}

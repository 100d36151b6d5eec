'use client'

import { useDraggable, useDroppable } from '@dnd-kit/core'
import { MoveLeft, TriangleAlert } from 'lucide-react'
import { memo, useCallback, useEffect, useRef } from 'react'
import { matteOfStep } from '../../core/comp/references.ts'
import type { Step } from '../../core/comp/schema.ts'
import { isTrack } from '../../core/comp/schema.ts'
import { dialLabel } from '../../core/dials/dials.ts'
import { effectOf } from '../../core/recipes/effect-of.ts'
import { matteKey } from '../../core/engine/session/requests.ts'
import { useShot, useShotContext } from '../shot/shot-context.tsx'
import { isOnNow } from '../shot/use-setting.ts'
import type { Selection } from '../shot/shot-store.ts'
import { setFeed } from '../../core/comp/edits.ts'
import type { Dragged, Dropped } from './drop-edge.ts'
import { feedFor } from './feed-for.ts'
import { linkedTo } from './linked.ts'
import { adviceOn } from './order-advice.ts'
import { stepTitle } from './step-title.ts'
import { Thumbnail } from './thumbnail.tsx'

interface TileProps {
  readonly thumb: string
  readonly title: string
  readonly note: string
  readonly label: string
  readonly isSelected: boolean
  readonly isOff?: boolean
  /** It feeds what is selected, or is fed by it. */
  readonly isLinked?: boolean
  readonly problem?: string | undefined
  /** Why it would better stand elsewhere in its lane. */
  readonly advice?: string | undefined
  /** What is dragged would be fed to it. */
  readonly isTarget?: boolean
  readonly drag?: Pick<ReturnType<typeof useDraggable>, 'setNodeRef' | 'listeners'>
  readonly onSelect: () => void
  /** What has a matte: it is shown small, and on the picture while the pointer is on it. */
  readonly matteOf?: Selection | undefined
}

/** Where a step acts or a lane joins, small; while the pointer is on it, on the picture. */
export function MatteThumbnail({ of }: { of: Selection }) {
  const { store } = useShotContext()
  const leave = () => {
    store.getState().set({ hoveredMatte: undefined })
  }
  useEffect(
    () => () => {
      store.getState().set({ hoveredMatte: undefined })
    },
    [store],
  )
  return (
    <span
      data-matte={of.step ?? of.lane}
      title="Where it acts; shown on the picture while the pointer is here"
      onPointerEnter={() => {
        store.getState().set({ hoveredMatte: of })
      }}
      onPointerLeave={leave}
    >
      <Thumbnail of={matteKey(of.lane, of.step)} isSmall />
    </span>
  )
}

/** A cut stone on the lane: what comes out of this point, its name and a note. */
export function Tile({
  thumb,
  title,
  note,
  label,
  isSelected,
  isOff = false,
  isLinked = false,
  isTarget = false,
  problem,
  advice,
  drag,
  onSelect,
  matteOf,
}: TileProps) {
  const tile = useRef<HTMLButtonElement>(null)
  const register = drag?.setNodeRef
  const setElement = useCallback(
    (element: HTMLButtonElement | null) => {
      tile.current = element
      register?.(element)
    },
    [register],
  )
  const hasMatte = matteOf !== undefined
  // What is worked on is in sight, also where it was added beyond the edge.
  useEffect(() => {
    if (isSelected) tile.current?.scrollIntoView({ block: 'nearest', inline: 'nearest' })
  }, [isSelected, hasMatte])
  return (
    <button
      ref={setElement}
      {...drag?.listeners}
      type="button"
      aria-label={label}
      aria-pressed={isSelected}
      data-selected={isSelected}
      className={`gem shrink-0 scroll-m-2 p-[2px] ${isTarget ? 'bg-accent' : isSelected ? 'bg-primary' : isLinked ? 'bg-accent/70' : 'bg-transparent'}`}
      onClick={onSelect}
    >
      <span
        className={`gem flex items-center gap-2.5 py-0.5 pl-2 pr-4 text-left ${isSelected ? 'bg-[oklch(30%_0.05_262)]' : 'bg-base-100 hover:bg-neutral'}`}
      >
        <Thumbnail of={thumb} isDim={isOff} />
        {matteOf && <MatteThumbnail of={matteOf} />}
        <span className="min-w-16 max-w-40">
          <span
            className={`flex items-center gap-1 truncate text-xs font-semibold ${isOff ? 'text-base-content/45 line-through' : ''}`}
          >
            {problem && <TriangleAlert size={12} className="shrink-0 text-warning" aria-hidden />}
            {title}
            {advice && !problem && (
              <span title={advice} className="shrink-0 text-warning" data-advice>
                <MoveLeft size={12} aria-label={advice} />
              </span>
            )}
          </span>
          <span
            className={`block truncate text-xs ${problem ? 'text-warning' : 'text-base-content/60'}`}
            title={problem}
          >
            {problem ?? note}
          </span>
        </span>
      </span>
    </button>
  )
}

/** Two decimals, or two digits of what is smaller. */
const shortNumber = (value: number) =>
  Math.abs(value) < 0.01 ? Number(value.toPrecision(2)) : Number(value.toFixed(2))

/** The dials of a step that are not at their defaults, in a few words. */
function stepNote(step: Step): string {
  const effect = effectOf(step)
  if (!effect) return 'not known here'
  const parts: string[] = []
  const feeds = Object.keys(step.feeds)
  if (feeds.length > 0) parts.push(`${feeds.join(', ')} fed`)
  if (step.matte) parts.push('matte')
  for (const [key, dial] of Object.entries(effect.dials)) {
    const value = step.dials[key]
    if (
      value === undefined ||
      parts.length >= 2 ||
      dial.type !== 'number' ||
      isTrack(value) ||
      value === dial.default
    )
      continue
    const shown = `${shortNumber(Number(value))}${dial.unit ? ` ${dial.unit}` : ''}`
    // 'stops 0.4 stops' says it twice.
    parts.push(dial.unit === key ? shown : `${dialLabel(key, dial).toLowerCase()} ${shown}`)
  }
  return parts.join(' · ') || effect.family
}

export const StepTile = memo(function StepTile({ step, laneId }: { step: Step; laneId: string }) {
  const { store } = useShotContext()
  const isSelected = useShot((s) => s.selection?.step === step.id)
  const isOn = useShot((s) => isOnNow(s, step))
  const problem = useShot((s) => s.problems.find((p) => p.stepId === step.id)?.message)
  const title = stepTitle(step)
  const advice = useShot((s) => adviceOn(s.comp, step.id)?.words)
  const isLinked = useShot((s) => linkedTo(s).has(step.id))
  const isLocked = useShot((s) => s.comp.lanes.find((l) => l.id === laneId)?.locked ?? false)
  const drag = useDraggable({
    id: `step ${step.id}`,
    data: { type: 'step', step: step.id, title } satisfies Dragged,
    disabled: isLocked,
  })
  const { setNodeRef: setTarget, isOver } = useDroppable({
    id: `tile ${step.id}`,
    data: {
      type: 'chip',
      connect: (from) => {
        const { comp, media, edit, set } = store.getState()
        const key = feedFor(step, from, comp, media)
        edit(`Feed ${key} of ${title}`, (c) => setFeed(c, step.id, key, { from }))
        set({ selection: { lane: laneId, step: step.id } })
      },
    } satisfies Dropped,
    disabled: isLocked,
  })
  const { setNodeRef: setHandle } = drag
  const setNodeRef = useCallback(
    (element: HTMLElement | null) => {
      setHandle(element)
      setTarget(element)
    },
    [setHandle, setTarget],
  )
  return (
    <Tile
      drag={{
        listeners: drag.listeners,
        setNodeRef,
      }}
      isTarget={isOver}
      isLinked={isLinked}
      thumb={step.id}
      title={title}
      note={isOn ? stepNote(step) : 'off'}
      label={`Step ${title}${isOn ? '' : ', off'}`}
      isSelected={isSelected}
      isOff={!isOn}
      problem={problem}
      advice={isOn ? advice : undefined}
      matteOf={matteOfStep(step) && { lane: laneId, step: step.id }}
      onSelect={() => {
        store.getState().set({ selection: { lane: laneId, step: step.id } })
      }}
    />
  )
})

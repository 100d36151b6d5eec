'use client'

import type { DialValue } from '../../core/dials/dials.ts'
import { useId, useRef, useState, type KeyboardEvent, type PointerEvent } from 'react'

/** Sets a dial; edits of one gesture are undone together. */
export type SetValue = (value: DialValue, gesture?: string) => void

interface ValueFieldProps {
  readonly label: string
  readonly value: number
  readonly unit: string
  readonly hard: readonly [number, number]
  readonly step: number
  /** Edits of one gesture (a drag, a run of arrow keys) are undone together. */
  readonly onChange: (value: number, gesture: string) => void
}

let gestures = 0
/** A name for a new gesture. */
export const newGesture = () => `gesture ${++gestures}`

const decimals = (step: number) => (step >= 1 ? 0 : step >= 0.1 ? 1 : 2)

/** A number to type, to step with the arrow keys, or to drag sideways. Shift is coarse, Alt is fine. */
export function ValueField({ label, value, unit, hard, step, onChange }: ValueFieldProps) {
  const id = useId()
  const field = useRef<HTMLInputElement>(null)
  const [typed, setTyped] = useState<string>()
  const drag = useRef<{ x: number; value: number; gesture: string; hasMoved: boolean } | undefined>(undefined)
  const keyGesture = useRef(newGesture())
  const held = (v: number) => Math.min(hard[1], Math.max(hard[0], v))
  const factor = (event: { shiftKey: boolean; altKey: boolean }) =>
    event.shiftKey ? 10 : event.altKey ? 0.1 : 1
  const shown = typed ?? `${Number(value.toFixed(decimals(step) + 1))}`

  const commit = () => {
    const next = typed === undefined ? NaN : Number(typed.replace(',', '.'))
    setTyped(undefined)
    if (Number.isFinite(next) && next !== value) onChange(held(next), newGesture())
  }
  const keys = (event: KeyboardEvent<HTMLInputElement>) => {
    if (event.key === 'ArrowUp' || event.key === 'ArrowDown') {
      const by = (event.key === 'ArrowUp' ? 1 : -1) * step * factor(event)
      onChange(held(Number((value + by).toFixed(6))), keyGesture.current)
      setTyped(undefined)
      event.preventDefault()
    } else if (event.key === 'Enter') {
      commit()
      field.current?.select()
    } else if (event.key === 'Escape') {
      setTyped(undefined)
      field.current?.blur()
    }
    event.stopPropagation()
  }
  const down = (event: PointerEvent<HTMLInputElement>) => {
    if (document.activeElement === field.current) return
    drag.current = { x: event.clientX, value, gesture: newGesture(), hasMoved: false }
    event.currentTarget.setPointerCapture(event.pointerId)
    event.preventDefault()
  }
  const move = (event: PointerEvent<HTMLInputElement>) => {
    const from = drag.current
    if (!from) return
    const by = event.clientX - from.x
    if (!from.hasMoved && Math.abs(by) < 3) return
    from.hasMoved = true
    onChange(held(Number((from.value + (by / 2) * step * factor(event)).toFixed(6))), from.gesture)
  }
  const up = () => {
    const from = drag.current
    drag.current = undefined
    // A click without a drag is for typing.
    if (from && !from.hasMoved) {
      field.current?.focus()
      field.current?.select()
    }
  }

  return (
    <label
      htmlFor={id}
      className="flex items-baseline rounded border border-base-content/15 bg-base-300 px-1.5 focus-within:border-accent"
    >
      <input
        id={id}
        ref={field}
        aria-label={label}
        inputMode="decimal"
        className="w-full min-w-0 cursor-ew-resize bg-transparent py-0.5 text-right text-xs outline-none focus:cursor-text"
        value={shown}
        onChange={(e) => {
          setTyped(e.target.value)
        }}
        onFocus={() => {
          keyGesture.current = newGesture()
        }}
        onBlur={commit}
        onKeyDown={keys}
        onPointerDown={down}
        onPointerMove={move}
        onPointerUp={up}
      />
      {unit && <span className="pl-0.5 text-xs text-base-content/55">{unit}</span>}
    </label>
  )
}

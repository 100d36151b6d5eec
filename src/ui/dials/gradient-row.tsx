'use client'

import { Trash2 } from 'lucide-react'
import { useRef, useState, type PointerEvent } from 'react'
import { dialLabel, type GradientDial } from '../../core/dials/dials.ts'
import { useSpace } from '../shot/use-space.ts'
import { linearToHex } from '../../core/picture/colour.ts'
import { gradientThrough, type GradientStop } from '../../core/picture/tone-curve.ts'
import { ColourRow } from './colour-row.tsx'
import { newGesture, type SetValue } from './value-field.tsx'
import { ResetButton } from './reset-button.tsx'

const mostStops = 64
const hold = (v: number) => Number(Math.min(1, Math.max(0, v)).toFixed(4))

/** Colours along a line: a click beside the stops adds one, drag moves it, the chosen one has its colour below. */
export function GradientRow({
  name,
  dial,
  value,
  onChange,
}: {
  name: string
  dial: GradientDial
  value: readonly GradientStop[]
  onChange: SetValue
}) {
  const [chosen, setChosen] = useState(0)
  const space = useSpace()
  const strip = useRef<HTMLDivElement>(null)
  const drag = useRef<{ index: number; gesture: string }>(undefined)
  const index = Math.min(chosen, value.length - 1)
  const own = value[index]!
  const through = gradientThrough(value)
  const label = dialLabel(name, dial)
  const shades = Array.from(
    { length: 33 },
    (_, i) => `${linearToHex(space, through(i / 32))} ${(i / 32) * 100}%`,
  )
  const under = (event: PointerEvent) => {
    const box = strip.current!.getBoundingClientRect()
    return hold((event.clientX - box.left) / box.width)
  }
  const isDefault = JSON.stringify(value) === JSON.stringify(dial.default)
  const moveTo = (i: number, at: number, gesture: string) => {
    const [, r, g, b] = value[i]!
    onChange(value.with(i, [at, r, g, b]), gesture)
  }
  return (
    <div className="py-0.5" data-dial={name}>
      <div className="flex items-center pb-1">
        <span className="flex-1 text-base-content/85" title={dial.hint}>
          {label}
        </span>
        {value.length > 1 && (
          <button
            type="button"
            className="btn btn-ghost btn-xs btn-square"
            aria-label="Remove the chosen stop"
            title="Remove the chosen stop"
            onClick={() => {
              onChange(value.filter((_, i) => i !== index))
            }}
          >
            <Trash2 size={12} aria-hidden />
          </button>
        )}
        <ResetButton
          label={label}
          isDefault={isDefault}
          onReset={() => {
            onChange(dial.default)
          }}
        />
      </div>
      <div
        ref={strip}
        className="relative mx-1.5 h-9 cursor-copy touch-none"
        onPointerDown={(event) => {
          const at = under(event)
          event.currentTarget.setPointerCapture(event.pointerId)
          const box = strip.current!.getBoundingClientRect()
          const near = value.findIndex((s) => Math.abs(s[0] - at) * box.width < 8)
          const gesture = newGesture()
          if (near < 0 && value.length < mostStops) {
            const [r, g, b] = through(at).map((v) => Number(v.toFixed(4))) as [number, number, number]
            onChange([...value, [at, r, g, b]], gesture)
            setChosen(value.length)
            drag.current = { index: value.length, gesture }
          } else if (near >= 0) {
            setChosen(near)
            drag.current = { index: near, gesture }
          }
        }}
        onPointerMove={(event) => {
          const held = drag.current
          if (held && value[held.index]) moveTo(held.index, under(event), held.gesture)
        }}
        onPointerUp={() => {
          drag.current = undefined
        }}
      >
        <div
          className="absolute inset-x-0 top-0 h-6 rounded border border-base-content/20"
          style={{ background: `linear-gradient(to right, ${shades.join(', ')})` }}
        />
        {value.map(([at, r, g, b], i) => (
          <button
            key={i}
            type="button"
            aria-label={`Stop ${i + 1} at ${Math.round(at * 100)} %`}
            aria-pressed={i === index}
            className={`absolute bottom-0 h-4 w-3 -translate-x-1/2 rotate-45 border ${i === index ? 'border-white' : 'border-base-content/40'}`}
            style={{ left: `${at * 100}%`, background: linearToHex(space, [r, g, b]) }}
            onFocus={() => {
              setChosen(i)
            }}
            onKeyDown={(event) => {
              const way = { ArrowRight: 1, ArrowLeft: -1 }[event.key]
              if (!way) return
              event.preventDefault()
              event.stopPropagation()
              moveTo(i, hold(at + way * (event.shiftKey ? 0.05 : 0.005)), newGesture())
            }}
          />
        ))}
      </div>
      <ColourRow
        key={index}
        name={`stop ${index + 1}`}
        dial={{ type: 'colour', default: [own[1], own[2], own[3]], hint: 'Linear light at the chosen stop.' }}
        value={[own[1], own[2], own[3]]}
        onChange={(next, gesture) => {
          const [r = 0, g = 0, b = 0] = next as readonly number[]
          onChange(value.with(index, [own[0], r, g, b]), gesture)
        }}
      />
    </div>
  )
}

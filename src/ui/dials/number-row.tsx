'use client'

import { Crosshair } from 'lucide-react'
import { useRef, type CSSProperties } from 'react'
import { dialLabel, type NumberDial } from '../../core/dials/dials.ts'
import { workingSpace } from '../../core/colour/working.ts'
import { useShot } from '../shot/shot-context.tsx'
import { Row, type RowProps } from './row.tsx'
import { fromSlider, toSlider } from './taper.ts'
import { usePick } from './use-pick.ts'
import { newGesture, ValueField, type SetValue } from './value-field.tsx'

/** A slider over a dial's useful range. */
export function Slider({
  label,
  dial,
  value,
  onChange,
}: {
  label: string
  dial: NumberDial
  value: number
  onChange: (value: number, gesture: string) => void
}) {
  const gesture = useRef(newGesture())
  const place = toSlider(dial, value)
  const begin = () => {
    gesture.current = newGesture()
  }
  return (
    <input
      type="range"
      aria-label={`${label} slider`}
      className="light-slider"
      min={0}
      max={1}
      step={0.001}
      value={place}
      style={{ '--filled': `${place * 100}%` } as CSSProperties}
      title={dial.hint}
      onPointerDown={begin}
      onFocus={begin}
      onChange={(e) => {
        onChange(fromSlider(dial, Number(e.target.value)), gesture.current)
      }}
      onKeyDown={(e) => {
        // A thousandth is too fine for a key; the dial's own step is meant.
        const way = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1 }[e.key]
        if (!way) return
        e.preventDefault()
        e.stopPropagation()
        const by = way * dial.step * (e.shiftKey ? 10 : e.altKey ? 0.1 : 1)
        onChange(
          Math.min(dial.hard[1], Math.max(dial.hard[0], Number((value + by).toFixed(6)))),
          gesture.current,
        )
      }}
    />
  )
}

/** Takes a number from the picture: the luminance of what comes to the step, or the value of one of its feeds. */
function PickValue({ label, of, onChange }: { label: string; of: string; onChange: SetValue }) {
  const step = useShot((s) => s.selection?.step) ?? ''
  const { luminance } = useShot((s) => workingSpace(s.comp.space))
  const isLight = of === 'luminance'
  const target = isLight
    ? ({ type: 'light-input', step } as const)
    : ({ type: 'feed', step, feed: of } as const)
  const { isPicking, toggle } = usePick(
    { words: `Click where ${label.toLowerCase()} is`, of: target },
    ({ rgba: [r, g, b, a] }) => {
      onChange(Number((isLight ? luminance(r, g, b) / (a > 0 ? a : 1) : r).toFixed(4)))
    },
  )
  return (
    <button
      type="button"
      aria-label={`Pick ${label} on the picture`}
      title={`Pick ${label.toLowerCase()} on the picture`}
      aria-pressed={isPicking}
      className={`absolute left-[5.4rem] top-1 rounded p-0.5 ${isPicking ? 'bg-accent text-accent-content' : 'text-base-content/50 hover:text-base-content'}`}
      onClick={toggle}
    >
      <Crosshair size={12} aria-hidden />
    </button>
  )
}

export function NumberRow({ name, dial, value, onChange }: RowProps<NumberDial, number>) {
  const label = dialLabel(name, dial)
  return (
    <div className="relative">
      <Row name={name} dial={dial} value={value} onChange={onChange}>
        <div className="grid grid-cols-[minmax(0,1fr)_4.6rem] items-center gap-2">
          <Slider label={label} dial={dial} value={value} onChange={onChange} />
          <ValueField
            label={label}
            value={value}
            unit={dial.unit}
            hard={dial.hard}
            step={dial.step}
            onChange={onChange}
          />
        </div>
      </Row>
      {dial.pick && <PickValue label={label} of={dial.pick.of} onChange={onChange} />}
    </div>
  )
}

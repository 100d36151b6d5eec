'use client'

import { useEffect, useRef, useState, type CSSProperties, type ReactNode } from 'react'
import { RgbColorPicker } from 'react-colorful'
import {
  dialLabel,
  type ColourDial,
  type Dial,
  type DialValue,
  type NumberDial,
} from '../../core/effects/dials.ts'
import { hexToLinear, linearToHex, linearToSrgb, srgbToLinear } from '../../core/picture/colour.ts'
import { fromSlider, toSlider } from './taper.ts'
import { newGesture, ValueField, type SetValue } from './value-field.tsx'
import { ResetButton } from './reset-button.tsx'

export interface RowProps<D extends Dial, V> {
  readonly name: string
  readonly dial: D
  readonly value: V
  readonly onChange: SetValue
}

/** Label, the dial's own controls, and a way back to the default where it was left. */
export function Row({
  name,
  dial,
  value,
  onChange,
  children,
}: RowProps<Dial, DialValue> & { children: ReactNode }) {
  const label = dialLabel(name, dial)
  const isDefault = JSON.stringify(value) === JSON.stringify(dial.default)
  return (
    <div
      className="grid min-h-6.5 grid-cols-[6.9rem_minmax(0,1fr)_1.1rem] items-center gap-x-2"
      data-dial={name}
    >
      <span className="truncate text-base-content/85" title={dial.hint}>
        {label}
      </span>
      {children}
      <ResetButton
        label={label}
        isDefault={isDefault}
        onReset={() => {
          onChange(dial.default)
        }}
      />
    </div>
  )
}

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

export function NumberRow({ name, dial, value, onChange }: RowProps<NumberDial, number>) {
  const label = dialLabel(name, dial)
  return (
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
  )
}

export function ColourRow({ name, dial, value, onChange }: RowProps<ColourDial, readonly number[]>) {
  const [r = 0, g = 0, b = 0] = value
  const gesture = useRef(newGesture())
  const picker = useRef<HTMLDivElement>(null)
  const [isOpen, setIsOpen] = useState(false)
  const label = dialLabel(name, dial)
  // Colours above 1 keep their brightness while hue and saturation are picked.
  const brightest = Math.max(1, r, g, b)
  const code = (v: number) => Math.round(255 * Math.min(1, Math.max(0, linearToSrgb(v / brightest))))
  const hex = linearToHex([r, g, b])
  useEffect(() => {
    if (isOpen) picker.current?.scrollIntoView({ block: 'nearest' })
  }, [isOpen])
  return (
    <>
      <Row name={name} dial={dial} value={value} onChange={onChange}>
        <button
          type="button"
          aria-expanded={isOpen}
          aria-label={`${label}, choose a colour`}
          title={dial.hint}
          className="flex items-center gap-2"
          onClick={() => {
            setIsOpen(!isOpen)
          }}
        >
          <span
            className="h-5 w-10 rounded border border-base-content/25"
            style={{ background: linearToHex([r / brightest, g / brightest, b / brightest]) }}
          />
          <span className="text-xs text-base-content/60">{value.map((v) => v.toFixed(2)).join('  ')}</span>
        </button>
      </Row>
      {isOpen && (
        <div
          ref={picker}
          className="my-1 grid grid-cols-[minmax(0,1fr)_6rem] gap-3 rounded bg-base-200 p-3"
          onPointerDownCapture={() => {
            gesture.current = newGesture()
          }}
        >
          <RgbColorPicker
            style={{ width: '100%', height: 118 }}
            color={{ r: code(r), g: code(g), b: code(b) }}
            onChange={(c) => {
              const linear = [c.r, c.g, c.b].map((v) =>
                Number((srgbToLinear(v / 255) * brightest).toFixed(4)),
              )
              onChange(linear, gesture.current)
            }}
          />
          <div className="flex flex-col gap-1.5">
            <input
              aria-label={`${label} as hex`}
              className="input input-xs w-full"
              key={hex}
              defaultValue={hex}
              onBlur={(e) => {
                const linear = hexToLinear(e.target.value)
                if (linear && e.target.value !== hex) onChange(linear)
              }}
              onKeyDown={(e) => {
                if (e.key === 'Enter') e.currentTarget.blur()
              }}
            />
            {(['R', 'G', 'B'] as const).map((letter, i) => (
              <ValueField
                key={letter}
                label={`${label} ${letter}, linear`}
                value={value[i] ?? 0}
                unit={letter}
                hard={[0, 1e6]}
                step={0.01}
                onChange={(next, g2) => {
                  onChange(
                    value.map((v, c) => (c === i ? next : v)),
                    g2,
                  )
                }}
              />
            ))}
          </div>
        </div>
      )}
    </>
  )
}

'use client'

import { useState, type KeyboardEvent } from 'react'
import type { Dial, DialValue } from '../../core/dials/dials.ts'
import { hexToLinear, linearToHex } from '../../core/picture/colour.ts'
import { useSpace } from '../shot/use-space.ts'
import { ValueField, type SetValue } from '../dials/value-field.tsx'

/** A colour as a swatch and its code for a display, to be typed over. */
function ColourCell({
  name,
  value,
  onChange,
}: {
  name: string
  value: readonly number[]
  onChange: SetValue
}) {
  const [typed, setTyped] = useState<string>()
  const space = useSpace()
  const [r = 0, g = 0, b = 0] = value
  const most = Math.max(1, r, g, b)
  const hex = linearToHex(space, [r / most, g / most, b / most])
  const commit = () => {
    const found = typed === undefined ? undefined : hexToLinear(space, typed)
    setTyped(undefined)
    if (found) onChange(found.map((v) => v * most))
  }
  return (
    <span className="flex items-center gap-1">
      <span
        className="h-4 w-4 shrink-0 rounded border border-base-content/25"
        style={{ background: hex }}
        aria-hidden
      />
      <input
        aria-label={`${name}, colour`}
        className="input input-xs w-full px-1 font-mono text-[11px]"
        value={typed ?? hex}
        onFocus={(e) => {
          e.target.select()
        }}
        onChange={(e) => {
          setTyped(e.target.value)
        }}
        onBlur={commit}
        onKeyDown={(e) => {
          if (e.key === 'Enter') commit()
          e.stopPropagation()
        }}
      />
    </span>
  )
}

/** The value of a setting at the frame that is looked at, to be typed over: a line of the table that the strips are. */
export function ValueCell({
  name,
  dial,
  value,
  onChange,
}: {
  name: string
  dial: Dial | undefined
  value: DialValue
  onChange: SetValue
}) {
  if (dial?.type === 'number' && typeof value === 'number')
    return (
      <ValueField
        label={name}
        value={value}
        unit={dial.unit}
        hard={dial.hard}
        step={dial.step}
        onChange={onChange}
      />
    )
  if (dial?.type === 'point' && Array.isArray(value))
    return (
      <span className="flex gap-0.5">
        {(['x', 'y'] as const).map((axis, i) => (
          <ValueField
            key={axis}
            label={`${name}, ${axis}`}
            value={value[i] as number}
            unit=""
            hard={[-100_000, 100_000]}
            step={1}
            onChange={(next, gesture) => {
              onChange((value as number[]).with(i, next), gesture)
            }}
          />
        ))}
      </span>
    )
  if (dial?.type === 'colour' && Array.isArray(value))
    return <ColourCell name={name} value={value as readonly number[]} onChange={onChange} />
  const stop = (event: KeyboardEvent) => {
    event.stopPropagation()
  }
  if (dial?.type === 'choice')
    return (
      <select
        aria-label={name}
        className="select select-xs w-full px-1"
        value={String(value)}
        onKeyDown={stop}
        onChange={(e) => {
          onChange(e.target.value)
        }}
      >
        {Object.keys(dial.options).map((option) => (
          <option key={option} value={option} title={dial.options[option]}>
            {option}
          </option>
        ))}
      </select>
    )
  if (typeof value === 'boolean')
    return (
      <label className="flex items-center gap-1 text-xs">
        <input
          type="checkbox"
          aria-label={name}
          className="checkbox checkbox-xs"
          checked={value}
          onChange={(e) => {
            onChange(e.target.checked)
          }}
        />
        {value ? 'on' : 'off'}
      </label>
    )
  return <span className="text-xs text-base-content/50">in Dials</span>
}

'use client'

import { useState, type CSSProperties } from 'react'
import type { RecipeDial } from '../../core/comp/recipe.ts'
import type { Comp, Setting } from '../../core/comp/schema.ts'
import { putDial } from '../../core/comp/settings.ts'
import { hexToLinear, linearToHex } from '../../core/picture/colour.ts'
import { useSpace } from '../shot/use-space.ts'
import { OwnPicture } from './own-picture.tsx'

/** Types of dials that are tried in the dialog; others take a chart of their own, beside the step. */
const tried = new Set<RecipeDial['type']>(['number', 'choice', 'flag', 'colour'])

function TryNumber({
  dial,
  value,
  onChange,
}: {
  dial: RecipeDial
  value: number
  onChange: (to: number) => void
}) {
  const [low, high] = dial.range ?? [0, 1]
  const filled = (100 * (value - low)) / (high - low || 1)
  return (
    <>
      <input
        type="range"
        aria-label={`Try ${dial.name}`}
        className="light-slider"
        min={low}
        max={high}
        step={(high - low) / 200 || 1}
        value={value}
        style={{ '--filled': `${filled}%` } as CSSProperties}
        onChange={(e) => {
          onChange(Number(e.target.value))
        }}
      />
      <span className="text-right text-base-content/65">
        {Number(value.toFixed(3))} {dial.unit}
      </span>
    </>
  )
}

function TryOther({
  dial,
  value,
  onChange,
}: {
  dial: RecipeDial
  value: Setting
  onChange: (to: Setting) => void
}) {
  const label = `Try ${dial.name}`
  const space = useSpace()
  if (dial.type === 'flag')
    return (
      <input
        type="checkbox"
        aria-label={label}
        className="checkbox checkbox-xs checkbox-primary"
        checked={value === true}
        onChange={(e) => {
          onChange(e.target.checked)
        }}
      />
    )
  if (dial.type === 'choice')
    return (
      <select
        aria-label={label}
        className="rounded bg-base-300 px-1.5"
        value={value as string}
        onChange={(e) => {
          onChange(e.target.value)
        }}
      >
        {Object.entries(dial.options ?? {}).map(([key, words]) => (
          <option key={key} value={key}>
            {words}
          </option>
        ))}
      </select>
    )
  return (
    <input
      type="color"
      aria-label={label}
      className="h-5 w-10 rounded"
      value={linearToHex(space, value as [number, number, number])}
      onChange={(e) => {
        onChange(hexToLinear(space, e.target.value)!)
      }}
    />
  )
}

/** Its dials on a small picture of this frame: nothing of it stays. `madeIn` gives the comp with it made, and its step. */
export function TryDials({
  name,
  dials,
  madeIn,
}: {
  /** Says which making it is, so that its picture is made again when that changes. */
  name: string
  dials: readonly RecipeDial[]
  madeIn: (comp: Comp) => readonly [comp: Comp, step: string]
}) {
  const [values, setValues] = useState<Readonly<Record<string, Setting>>>({})
  const shown = dials.filter((d) => tried.has(d.type))
  const valueOf = (dial: RecipeDial) => values[dial.name] ?? dial.default
  const tryOut = (comp: Comp): Comp => {
    const [next, step] = madeIn(comp)
    const moved = shown.filter((d) => values[d.name] !== undefined)
    return moved.reduce((one, d) => putDial(one, step, d.key, values[d.name]!), next)
  }
  return (
    <div className="flex gap-3 rounded bg-base-200 p-2" role="group" aria-label="Try the dials">
      <OwnPicture
        name={`trial ${name} ${JSON.stringify(values)}`}
        change={tryOut}
        className="h-[5.6rem] w-40 shrink-0"
        isStill
      />
      <div className="max-h-[5.6rem] min-w-0 flex-1 space-y-0.5 overflow-y-auto">
        {shown.map((dial) => {
          const value = valueOf(dial)
          const put = (to: Setting) => {
            setValues({ ...values, [dial.name]: to })
          }
          return (
            <div
              key={dial.key}
              className="grid grid-cols-[7rem_1fr_3.5rem] items-center justify-items-start gap-2"
            >
              <span className="truncate">{dial.name}</span>
              {dial.type === 'number' ? (
                <TryNumber dial={dial} value={Number(value)} onChange={put} />
              ) : (
                <TryOther dial={dial} value={value} onChange={put} />
              )}
            </div>
          )
        })}
        <p className="text-base-content/55">
          {shown.length > 0
            ? 'Try how far they move the picture: nothing of it stays.'
            : 'Numbers, choices and colours that are ticked can be tried here.'}
        </p>
      </div>
    </div>
  )
}

'use client'

import { Crosshair } from 'lucide-react'
import {
  dialLabel,
  type ChoiceDial,
  type ColourPicked,
  type Dial,
  type DialValue,
  type FlagDial,
  type PointDial,
} from '../../core/effects/dials.ts'
import { luminance } from '../../core/picture/colour.ts'
import type { CurvePoint, GradientStop } from '../../core/picture/tone-curve.ts'
import { useShot } from '../shot/shot-context.tsx'
import { ColourRow, NumberRow, Row, type RowProps } from './basic-rows.tsx'
import { CurveEditor } from './curve-editor.tsx'
import { GradientEditor } from './gradient-editor.tsx'
import { PicksRow } from './picks-row.tsx'
import { usePick } from './use-pick.ts'
import { ValueField, type SetValue } from './value-field.tsx'

function PointRow({ name, dial, value, onChange }: RowProps<PointDial, readonly number[]>) {
  return (
    <Row name={name} dial={dial} value={value} onChange={onChange}>
      <div className="grid grid-cols-2 gap-2">
        {['x', 'y'].map((axis, i) => (
          <ValueField
            key={axis}
            label={`${dialLabel(name, dial)} ${axis}`}
            value={value[i] ?? 0}
            unit="px"
            hard={[-1e5, 1e5]}
            step={1}
            onChange={(next, gesture) => {
              onChange(
                value.map((v, c) => (c === i ? next : v)),
                gesture,
              )
            }}
          />
        ))}
      </div>
    </Row>
  )
}

function ChoiceRow({ name, dial, value, onChange }: RowProps<ChoiceDial, string>) {
  return (
    <Row name={name} dial={dial} value={value} onChange={onChange}>
      <select
        aria-label={dialLabel(name, dial)}
        title={dial.hint}
        className="select select-xs w-full"
        value={value}
        onChange={(e) => {
          onChange(e.target.value)
        }}
      >
        {Object.entries(dial.options).map(([option, text]) => (
          <option key={option} value={option}>
            {text}
          </option>
        ))}
      </select>
    </Row>
  )
}

function FlagRow({ name, dial, value, onChange }: RowProps<FlagDial, boolean>) {
  return (
    <Row name={name} dial={dial} value={value} onChange={onChange}>
      <input
        type="checkbox"
        aria-label={dialLabel(name, dial)}
        title={dial.hint}
        className="toggle toggle-xs toggle-primary"
        checked={value}
        onChange={(e) => {
          onChange(e.target.checked)
        }}
      />
    </Row>
  )
}

/** Takes a number from the picture: the luminance of what comes to the step, or the value of one of its feeds. */
function PickValue({ label, of, onChange }: { label: string; of: string; onChange: SetValue }) {
  const step = useShot((s) => s.selection?.step) ?? ''
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

/** The controls of any dial, by its declaration. */
export function DialRow({ name, dial, value, onChange }: RowProps<Dial, DialValue>) {
  switch (dial.type) {
    case 'number':
      return (
        <div className="relative">
          <NumberRow name={name} dial={dial} value={value as number} onChange={onChange} />
          {dial.pick && <PickValue label={dialLabel(name, dial)} of={dial.pick.of} onChange={onChange} />}
        </div>
      )
    case 'colour':
      return <ColourRow name={name} dial={dial} value={value as readonly number[]} onChange={onChange} />
    case 'point':
      return <PointRow name={name} dial={dial} value={value as readonly number[]} onChange={onChange} />
    case 'choice':
      return <ChoiceRow name={name} dial={dial} value={value as string} onChange={onChange} />
    case 'picks':
      return <PicksRow dial={dial} value={value as readonly ColourPicked[]} onChange={onChange} />
    case 'curve':
      return (
        <CurveEditor
          curves={[{ name, dial, value: value as readonly CurvePoint[] }]}
          onChange={() => onChange}
        />
      )
    case 'gradient':
      return (
        <GradientEditor
          name={name}
          dial={dial}
          value={value as readonly GradientStop[]}
          onChange={onChange}
        />
      )
    case 'flag':
      return <FlagRow name={name} dial={dial} value={value as boolean} onChange={onChange} />
  }
}

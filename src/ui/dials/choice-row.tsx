'use client'

import { dialLabel, type ChoiceDial } from '../../core/dials/dials.ts'
import { Row, type RowProps } from './row.tsx'

export function ChoiceRow({ name, dial, value, onChange }: RowProps<ChoiceDial, string>) {
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

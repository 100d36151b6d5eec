'use client'

import { dialLabel, type FlagDial } from '../../core/dials/dials.ts'
import { Row, type RowProps } from './row.tsx'

export function FlagRow({ name, dial, value, onChange }: RowProps<FlagDial, boolean>) {
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

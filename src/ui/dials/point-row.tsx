'use client'

import { dialLabel, type PointDial } from '../../core/dials/dials.ts'
import { Row, type RowProps } from './row.tsx'
import { ValueField } from './value-field.tsx'

export function PointRow({ name, dial, value, onChange }: RowProps<PointDial, readonly number[]>) {
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

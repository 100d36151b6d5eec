'use client'

import type { ReactNode } from 'react'
import { dialLabel, type Dial, type DialValue } from '../../core/dials/dials.ts'
import { ResetButton } from './reset-button.tsx'
import type { SetValue } from './value-field.tsx'

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

'use client'

import type { ComponentType } from 'react'
import type { Dial, DialValue, ValueOf } from '../../core/dials/dials.ts'
import { ChoiceRow } from './choice-row.tsx'
import { ColourRow } from './colour-row.tsx'
import { CurveRow } from './curve-row.tsx'
import { FlagRow } from './flag-row.tsx'
import { GradientRow } from './gradient-row.tsx'
import { NumberRow } from './number-row.tsx'
import { PicksRow } from './picks-row.tsx'
import { PointRow } from './point-row.tsx'
import type { RowProps } from './row.tsx'

type OfType<T extends Dial['type']> = Extract<Dial, { type: T }>

/** The controls of each type of dial. */
const rows: { readonly [T in Dial['type']]: ComponentType<RowProps<OfType<T>, ValueOf<OfType<T>>>> } = {
  choice: ChoiceRow,
  colour: ColourRow,
  curve: CurveRow,
  flag: FlagRow,
  gradient: GradientRow,
  number: NumberRow,
  picks: PicksRow,
  point: PointRow,
}

/** The controls of any dial, by its declaration. */
export function DialRow(props: RowProps<Dial, DialValue>) {
  const Controls = rows[props.dial.type] as ComponentType<RowProps<Dial, DialValue>>
  return <Controls {...props} />
}

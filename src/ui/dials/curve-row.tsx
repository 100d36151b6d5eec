'use client'

import type { CurveDial, ValueOf } from '../../core/dials/dials.ts'
import { CurveEditor } from './curve-editor.tsx'
import type { RowProps } from './row.tsx'

export function CurveRow({ name, dial, value, onChange }: RowProps<CurveDial, ValueOf<CurveDial>>) {
  return <CurveEditor curves={[{ name, dial, value }]} onChange={() => onChange} />
}

import type { GradientStop } from '../picture/tone-curve.ts'
import { defineDialType, wantsTuples, type DialBase, type Spec } from './dial-type.ts'

/** Colours along a line: where (0–1), and the linear colour. */
export interface GradientDial extends DialBase {
  readonly type: 'gradient'
  readonly default: readonly GradientStop[]
}

export function gradient(spec: Spec<GradientDial>): GradientDial {
  return { type: 'gradient', ...spec }
}

export default defineDialType<readonly GradientStop[], GradientDial>({
  type: 'gradient',
  wants: (_, value) => wantsTuples(value, 1, 4, 'stops'),
})

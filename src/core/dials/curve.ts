import type { CurvePoint } from '../picture/tone-curve.ts'
import { defineDialType, wantsTuples, type DialBase, type Spec } from './dial-type.ts'

/** A curve through points, monotone between them. */
export interface CurveDial extends DialBase {
  readonly type: 'curve'
  readonly default: readonly CurvePoint[]
  /** Both axes 0–1, or light along an axis like that of stops (lightToAxis), on which 16 is 1.5. */
  readonly axis: 'unit' | 'light'
}

export function curve(spec: Spec<CurveDial>): CurveDial {
  return { type: 'curve', ...spec }
}

export default defineDialType<readonly CurvePoint[], CurveDial>({
  type: 'curve',
  wants: (_, value) => wantsTuples(value, 1, 2, 'points'),
})

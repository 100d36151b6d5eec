import type { Rgb } from '../picture/picture.ts'
import { defineDialType, isTuple, type DialBase, type Spec } from './dial-type.ts'

export interface ColourDial extends DialBase {
  readonly type: 'colour'
  /** Scene-linear; may exceed 1. */
  readonly default: Rgb
}

export function colour(spec: Spec<ColourDial>): ColourDial {
  return { type: 'colour', ...spec }
}

const each = (at: (c: 0 | 1 | 2) => number): Rgb => [at(0), at(1), at(2)]

export default defineDialType<Rgb, ColourDial>({
  type: 'colour',
  wants: (_, value) => (isTuple(value, 3) ? undefined : '3 numbers'),
  shifted: (_, value, from, to) => each((c) => value[c] + (to[c] - from[c])),
})

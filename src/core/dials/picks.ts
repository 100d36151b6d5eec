import { defineDialType, wantsTuples, type DialBase, type Spec } from './dial-type.ts'

/** A list of colours, linear, each with 1 (wanted) or −1 (not wanted) behind it. */
export interface PicksDial extends DialBase {
  readonly type: 'picks'
  readonly default: readonly ColourPicked[]
}
export type ColourPicked = readonly [r: number, g: number, b: number, sign: number]

export function picks(spec: Spec<PicksDial>): PicksDial {
  return { type: 'picks', ...spec }
}

export default defineDialType<readonly ColourPicked[], PicksDial>({
  type: 'picks',
  wants: (_, value) => wantsTuples(value, 0, 4, 'colours'),
})

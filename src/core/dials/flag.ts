import { defineDialType, type DialBase, type Spec } from './dial-type.ts'

export interface FlagDial extends DialBase {
  readonly type: 'flag'
  readonly default: boolean
}

export function flag(spec: Spec<FlagDial>): FlagDial {
  return { type: 'flag', ...spec }
}

export default defineDialType<boolean, FlagDial>({
  type: 'flag',
  wants: (_, value) => (typeof value === 'boolean' ? undefined : 'true or false'),
})

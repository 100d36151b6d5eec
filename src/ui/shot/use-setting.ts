import { readSetting, type SettingRef } from '../../core/comp/settings.ts'
import type { Step } from '../../core/comp/schema.ts'
import type { DialValue } from '../../core/dials/dials.ts'
import { useShot } from './shot-context.tsx'
import type { ShotState } from './shot-store.ts'

type Now = Pick<ShotState, 'comp' | 'frame' | 'read'>

/** The value of a setting at the frame that is looked at; undefined where there is no such setting. */
export const settingNow = ({ comp, frame, read }: Now, ref: SettingRef): DialValue | undefined =>
  readSetting(comp, ref, frame, read)

export const isOnNow = (state: Now, { id, on }: Step): boolean =>
  typeof on === 'boolean' ? on : settingNow(state, { of: 'on', step: id }) !== false

/** The same, followed by the component. Lists are new on each change, so choose numbers, texts and flags only. */
export function useSettingNow<T extends number | string | boolean>(ref: SettingRef): T | undefined {
  return useShot((s) => settingNow(s, ref)) as T | undefined
}

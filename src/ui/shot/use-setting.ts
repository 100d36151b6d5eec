import { readSetting, type SettingRef } from '../../core/comp/settings.ts'
import type { Step } from '../../core/comp/schema.ts'
import type { DialValue } from '../../core/dials/dials.ts'
import { refKey } from '../timing/timing-state.ts'
import { useShot } from './shot-context.tsx'
import type { ShotState } from './shot-store.ts'

type Now = Pick<ShotState, 'comp' | 'frame' | 'read' | 'riding'>

/** The value of a setting at the frame that is looked at; undefined where there is no such setting. */
export const settingNow = ({ comp, frame, read, riding }: Now, ref: SettingRef): DialValue | undefined =>
  riding?.get(refKey(ref))?.value ?? readSetting(comp, ref, frame, read)

export const isOnNow = (state: Now, { id, on }: Step): boolean =>
  typeof on === 'boolean' ? on : settingNow(state, { of: 'on', step: id }) !== false

/** The same of a number, followed by the component. */
export function useNumberNow(ref: SettingRef): number | undefined {
  return useShot((s) => settingNow(s, ref)) as number | undefined
}

/** The frame that is shown, while it plays too: for what is light enough to be drawn anew with each. */
export const useShownFrame = (): number => useShot((s) => s.playhead ?? s.frame)

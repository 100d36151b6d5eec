'use client'

import { dialAt, type SettingRef } from '../../core/comp/settings.ts'
import { defaultOn, type Dial } from '../../core/dials/dials.ts'
import { useShot, useShotContext } from '../shot/shot-context.tsx'
import { DialRow } from './dial-row.tsx'
import { settingNow } from '../shot/use-setting.ts'
import { KeyLine, KeyToggle } from './key-marks.tsx'

/**
 * The controls of one setting of the comp. `name` is what it is called here, `edits` names its changes for undo; `hint` and `resetsTo` where
 * this place has words and a default of its own.
 */
export function SettingRow({
  of: ref,
  name,
  edits,
  hint,
  resetsTo,
}: {
  of: SettingRef
  name: string
  edits: string
  hint?: string
  resetsTo?: Dial['default']
}) {
  const { store } = useShotContext()
  const comp = useShot((s) => s.comp)
  const frame = useShot((s) => s.frame)
  const dial = dialAt(comp, ref)
  const read = useShot((s) => s.read)
  const riding = useShot((s) => s.riding)
  const value = settingNow({ comp, frame, read, riding }, ref)
  if (!dial || value === undefined) return null
  const shown = {
    ...dial,
    ...(hint && { hint }),
    // Points have their defaults on this canvas.
    default: resetsTo ?? defaultOn(dial, comp.canvas),
  } as Dial
  return (
    <div className="relative">
      <KeyToggle of={ref} name={edits} />
      <DialRow
        name={name}
        dial={shown}
        value={value}
        onChange={(next, gesture) => {
          store.getState().write(edits, [[ref, next]], gesture && `${JSON.stringify(ref)} ${gesture}`)
        }}
      />
      <KeyLine of={ref} name={edits} />
    </div>
  )
}

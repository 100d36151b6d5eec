'use client'

import { memo, useCallback, useMemo } from 'react'
import { dialAt, type SettingRef } from '../../core/comp/settings.ts'
import { defaultOn, type Dial, type DialValue } from '../../core/dials/dials.ts'
import { useShot, useShotContext } from '../shot/shot-context.tsx'
import { DialRow } from './dial-row.tsx'
import { settingNow } from '../shot/use-setting.ts'
import { refKey } from '../timing/timing-state.ts'
import { KeyLine, KeyToggle } from './key-marks.tsx'

/** Drawn anew for another value or declaration, whatever else is edited. */
const Controls = memo(
  DialRow,
  (a, b) =>
    a.name === b.name &&
    a.onChange === b.onChange &&
    JSON.stringify([a.value, a.dial]) === JSON.stringify([b.value, b.dial]),
)

interface SettingRowProps {
  readonly of: SettingRef
  readonly name: string
  readonly edits: string
  readonly hint?: string
  readonly resetsTo?: Dial['default']
}

/**
 * The controls of one setting of the comp. `name` is what it is called here, `edits` names its changes for undo; `hint` and `resetsTo` where
 * this place has words and a default of its own.
 */
export const SettingRow = memo(
  function SettingRow({ of, name, edits, hint, resetsTo }: SettingRowProps) {
    const { store } = useShotContext()
    const key = refKey(of)
    const ref = useMemo(() => JSON.parse(key) as SettingRef, [key])
    // Values that are read from tracks are made anew each time: what they say is compared.
    useShot((s) => JSON.stringify([settingNow(s, ref), dialAt(s.comp, ref)]))
    const canvas = useShot((s) => s.comp.canvas)
    const state = store.getState()
    const [dial, value] = [dialAt(state.comp, ref), settingNow(state, ref)]
    const change = useCallback(
      (next: DialValue, gesture?: string) => {
        store.getState().write(edits, [[ref, next]], gesture && `${key} ${gesture}`)
      },
      [store, ref, key, edits],
    )
    if (!dial || value === undefined) return null
    const shown = {
      ...dial,
      ...(hint && { hint }),
      // Points have their defaults on this canvas.
      default: resetsTo ?? defaultOn(dial, canvas),
    } as Dial
    return (
      <div className="relative">
        <KeyToggle of={ref} name={edits} />
        <Controls name={name} dial={shown} value={value} onChange={change} />
        <KeyLine of={ref} name={edits} />
      </div>
    )
  },
  (a, b) => JSON.stringify(a) === JSON.stringify(b),
)

import { findStep, type Comp } from '../../core/comp/schema.ts'
import { listSettings, type SettingRef } from '../../core/comp/settings.ts'
import { settingName } from '../../core/comp/setting-names.ts'
import { effectOf } from '../../core/recipes/effect-of.ts'

/** Points that another could follow: those of other steps, by what they are called. */
export function otherPoints(
  comp: Comp,
  ref: SettingRef,
): readonly { readonly step: string; readonly key: string; readonly words: string }[] {
  return listSettings(comp).flatMap((one) => {
    if (one.of !== 'dial' || JSON.stringify(one) === JSON.stringify(ref)) return []
    const step = findStep(comp, one.step)
    if (effectOf(step)?.dials[one.key]?.type !== 'point') return []
    const { where, name } = settingName(comp, one)
    return [{ step: one.step, key: one.key, words: `${name} on ${where}` }]
  })
}

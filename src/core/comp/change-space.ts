import { apply, type Matrix } from '../colour/spaces.ts'
import { betweenSpaces, type WorkingName } from '../colour/working.ts'
import { defaultOn, type DialValue } from '../dials/dials.ts'
import { emptyComp } from './edits.ts'
import type { RecipeHead } from './recipe.ts'
import { isTrack, type Comp, type Lane, type Setting, type Step } from './schema.ts'
import { dialAt, listSettings, putSetting, settingOf } from './settings.ts'

type Three = readonly [number, number, number]

/** Greys are greys in every space. Eight digits, so that the way back ends where it began. */
function moved(m: Matrix, [r, g, b]: Three): [number, number, number] {
  if (r === g && g === b) return [r, g, b]
  return apply(m, [r, g, b]).map((v) => Number(v.toPrecision(8))) as [number, number, number]
}

/** A value of a kind of dial that holds colours, with these as they are in the other space. */
function movedValue(type: string | undefined, value: DialValue, m: Matrix): DialValue {
  const list = value as readonly (readonly number[])[]
  switch (type) {
    case 'colour':
      return moved(m, value as Three)
    case 'gradient':
      return list.map(([at, r, g, b]) => [at, ...moved(m, [r!, g!, b!])]) as DialValue
    case 'picks':
      return list.map(([r, g, b, sign]) => [...moved(m, [r!, g!, b!]), sign]) as DialValue
    default:
      return value
  }
}

const isSame = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b)

function movedRecipe(recipe: RecipeHead, m: Matrix): RecipeHead {
  const dials = recipe.dials.map((dial) => ({
    ...dial,
    default: movedValue(dial.type, dial.default as DialValue, m) as typeof dial.default,
  }))
  return { ...recipe, dials }
}

/** Lanes and steps whose colours are of one space, as they are in another; they need not be whole alone. */
export function piecesIn<P extends { readonly lanes: readonly Lane[]; readonly steps: readonly Step[] }>(
  piece: P,
  from: WorkingName | undefined,
  to: WorkingName | undefined,
): P {
  if (!betweenSpaces(from, to)) return piece
  const holder = emptyComp(1, 1)
  const comp: Comp = {
    ...holder,
    lanes: [...piece.lanes],
    master: [...piece.steps],
    ...(from === 'acescg' ? { space: from } : {}),
  }
  const { lanes, master } = changeSpace(comp, to ?? 'rec709')
  return { ...piece, lanes, steps: master }
}

/**
 * The comp worked in another space: passes come into it, and colours that were set or that effects begin with keep their look. A colour that the
 * new space can not hold without light below 0 is held at 0, as dials are.
 */
export function changeSpace(comp: Comp, to: WorkingName): Comp {
  const m = betweenSpaces(comp.space, to)
  if (!m) return comp
  const kept = { ...comp }
  delete kept.space
  let next: Comp = to === 'rec709' ? kept : { ...kept, space: to }
  for (const ref of listSettings(comp)) {
    const dial = dialAt(comp, ref)
    if (dial?.type !== 'colour' && dial?.type !== 'gradient' && dial?.type !== 'picks') continue
    const setting = settingOf(comp, ref) ?? (defaultOn(dial, comp.canvas) as Setting)
    const one = (value: DialValue) => movedValue(dial.type, value, m)
    const changed: Setting | DialValue = isTrack(setting)
      ? {
          ...setting,
          keys: setting.keys.map((k) => ({ ...k, value: one(k.value as DialValue) as typeof k.value })),
        }
      : one(setting)
    if (!isSame(changed, setting)) next = putSetting(next, ref, changed)
  }
  const step = (s: Step): Step => (s.recipe ? { ...s, recipe: movedRecipe(s.recipe, m) } : s)
  return {
    ...next,
    lanes: next.lanes.map((l) => ({ ...l, steps: l.steps.map(step) })),
    master: next.master.map(step),
  }
}

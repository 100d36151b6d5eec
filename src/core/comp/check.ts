import { furthestFrame, mostFrames } from './frame-limits.ts'
import { dialProblem, type Dial } from '../dials/dials.ts'
import { partsOf } from '../tracks/track-edits.ts'
import { effectOf } from '../recipes/effect-of.ts'
import type { Problem } from './problem.ts'
import { dialAt, listSettings, settingOf } from './settings.ts'
import { isTrack, type Comp, type Step, type Track } from './schema.ts'

/** Keys whose values a dial does not take, and what rides on it though it can not. */
function trackProblems(dial: Dial, { keys, riders = [], along, mix }: Track, at: string): Problem[] {
  const parts = keys.map((key) => partsOf(key.value))
  const found = keys.flatMap(({ value }, i) => {
    const message = dialProblem(dial, value)
    return message ? [{ path: `${at}.keys.${i}.value`, message }] : []
  })
  keys.forEach((key, i) => {
    for (const side of ['in', 'out'] as const)
      if (key[side] && key[side].length !== parts[i] && !along)
        found.push({
          path: `${at}.keys.${i}.${side}`,
          message: `wants a handle for each of its ${parts[i]!} parts`,
        })
  })
  riders.forEach((rider, i) => {
    const path = `${at}.riders.${i}`
    if (rider.type === 'follow' && dial.type !== 'point')
      found.push({ path, message: 'follows, which only a point can' })
    if (rider.type !== 'step' && rider.type !== 'shift' && parts.some((n) => n === 0))
      found.push({ path, message: `is a ${rider.type} on values that are no numbers` })
  })
  if (along && dial.type !== 'point') found.push({ path: `${at}.along`, message: 'is for points only' })
  if (mix && dial.type !== 'colour') found.push({ path: `${at}.mix`, message: 'is for colours only' })
  return found
}

function stepProblems(step: Step, path: string): Problem[] {
  const effect = effectOf(step)
  // An effect that is not known here is kept and marked on its tile; its dials are not ours to judge.
  if (!effect) return []
  return Object.entries(step.dials).flatMap(([key, setting]) => {
    const dial = Object.hasOwn(effect.dials, key) ? effect.dials[key] : undefined
    const at = `${path}.dials.${key}`
    if (!dial) return [{ path: at, message: `is not a dial of ${effect.title}` }]
    if (!isTrack(setting)) {
      const message = dialProblem(dial, setting)
      return message ? [{ path: at, message }] : []
    }
    return trackProblems(dial, setting, at)
  })
}

/** Texts with half a character, and frames that no shot has: what can be thought of, but not kept. */
export function storeProblems(comp: Comp): Problem[] {
  const found: Problem[] = []
  const look = (value: unknown, path: string) => {
    if (typeof value === 'string') {
      if (!value.isWellFormed() || value.includes('\0'))
        found.push({ path, message: 'holds half a character; type it anew' })
    } else if (typeof value === 'object' && value !== null)
      for (const [key, inner] of Object.entries(value)) {
        const at = path === '' ? key : `${path}.${key}`
        look(key, at)
        look(inner, at)
      }
  }
  look(comp, '')
  const { first, last } = comp.frames
  if (Math.abs(first) > furthestFrame || Math.abs(last) > furthestFrame)
    found.push({ path: 'frames', message: `wants frames from −${furthestFrame} to ${furthestFrame}` })
  else if (last < first) found.push({ path: 'frames.last', message: `is before the first frame, ${first}` })
  else if (last - first >= mostFrames)
    found.push({ path: 'frames', message: `wants at most ${mostFrames} frames` })
  return found
}

/** Tracks of settings that are no dials of an effect, by what they are called. */
function ownTrackProblems(comp: Comp): Problem[] {
  return listSettings(comp).flatMap((ref) => {
    const setting = ref.of === 'dial' ? undefined : settingOf(comp, ref)
    const dial = setting === undefined ? undefined : dialAt(comp, ref)
    if (!dial || !setting || !isTrack(setting)) return []
    const { of, ...place } = ref
    return trackProblems(dial, setting, `${Object.values(place).map(String).join('.')}.${of}`)
  })
}

/** Every dial whose value its effect does not take, with the path of the value. */
export function dialProblems(comp: Comp): Problem[] {
  return [
    ...comp.lanes.flatMap((lane, l) =>
      lane.steps.flatMap((step, s) => stepProblems(step, `lanes.${l}.steps.${s}`)),
    ),
    ...comp.master.flatMap((step, s) => stepProblems(step, `master.${s}`)),
    ...ownTrackProblems(comp),
  ]
}

import { findDrawing } from './drawing-edits.ts'
import { drawingsOf, findLoop } from './references.ts'
import { dialLabel, dialProblem, nearestFit, type DialValue } from '../dials/dials.ts'
import { defaultDials } from '../effects/registry.ts'
import { effectOf } from '../recipes/effect-of.ts'
import { allSteps, isTrack, type Comp, type Lane, type Step } from './schema.ts'

/** Whether a lane's own content is the same; muting, solo, folding and the lock itself are not content. */
function isUntouched(before: Lane, after: Lane): boolean {
  return (
    before.name === after.name &&
    before.kind === after.kind &&
    before.source === after.source &&
    before.steps === after.steps &&
    before.join === after.join &&
    before.time === after.time
  )
}

/**
 * What an edit makes, with every number that it puts beyond what its dial takes brought back to the nearest that it takes, and what is no
 * number at all left as it was: no control, fit or pick can make a comp that can not be saved.
 */
export function withinDials(before: Comp, after: Comp): Comp {
  const known = new Map(allSteps(before).map((step) => [step.id, step]))
  const mend = (step: Step): Step => {
    const was = known.get(step.id)
    const effect = effectOf(step)
    if (was === step || !effect) return step
    const defaults = () => defaultDials(effect, after.canvas)
    const dials = Object.entries(step.dials).map(([key, value]): [string, Step['dials'][string]] => {
      const dial = Object.hasOwn(effect.dials, key) ? effect.dials[key] : undefined
      if (!dial || (!isTrack(value) && dialProblem(dial, value) === undefined)) return [key, value]
      const before = was?.dials[key] ?? (defaults()[key] as Step['dials'][string])
      if (!isTrack(value)) return [key, (nearestFit(dial, value) as typeof before | undefined) ?? before]
      const misfits = value.keys.filter((k) => dialProblem(dial, k.value) !== undefined)
      if (misfits.length === 0) return [key, value]
      if (misfits.every((k) => nearestFit(dial, k.value) === undefined)) return [key, before]
      const fit = (v: DialValue) =>
        (nearestFit(dial, v) ?? defaults()[key]) as (typeof misfits)[number]['value']
      return [key, { ...value, keys: value.keys.map((k) => ({ ...k, value: fit(k.value) })) }]
    })
    const isSame = dials.every(([key, value]) => step.dials[key] === value)
    return isSame ? step : { ...step, dials: Object.fromEntries(dials) }
  }
  const all = (steps: readonly Step[]): Step[] => {
    const next = steps.map(mend)
    return next.every((step, i) => step === steps[i]) ? (steps as Step[]) : next
  }
  const lanes = after.lanes.map((lane) => {
    const steps = all(lane.steps)
    return steps === lane.steps ? lane : { ...lane, steps }
  })
  const master = all(after.master)
  if (master === after.master && lanes.every((lane, i) => lane === after.lanes[i])) return after
  return { ...after, lanes, master }
}

/** Why an edit can not be made, in words; undefined when it can. */
export function editProblem(before: Comp, after: Comp): string | undefined {
  for (const lane of before.lanes) {
    if (!lane.locked) continue
    const now = after.lanes.find((l) => l.id === lane.id)
    if (!now) return `${lane.name} is locked. Unlock it to remove it.`
    const isRedrawn = [...drawingsOf(lane)].some((id) => findDrawing(before, id) !== findDrawing(after, id))
    if (isRedrawn || (now !== lane && !isUntouched(lane, now)))
      return `${lane.name} is locked. Unlock it to change it.`
  }
  const followed = findFollowLoop(after)
  if (followed && !findFollowLoop(before))
    return `That would make ${followed[0]!} follow itself: ${followed.join(' → ')}. Nothing was changed.`
  const loop = findLoop(after)
  // A loop that was there already must not keep anyone from cutting it.
  return loop && !findLoop(before)
    ? `That would make ${loop[0] ?? 'a lane'} take its picture from itself: ${loop.join(' → ')}. Nothing was changed.`
    : undefined
}

/** Points that follow each other in a loop, by what they are called, the first again at the end; undefined when there is none. */
function findFollowLoop(comp: Comp): string[] | undefined {
  const steps = new Map(allSteps(comp).map((s) => [s.id, s]))
  const title = (step: string, key: string) => {
    const effect = effectOf(steps.get(step))
    return `${dialLabel(key, effect?.dials[key] ?? {})} of ${effect?.title ?? step}`
  }
  const walk = (step: string, key: string, way: readonly string[]): string[] | undefined => {
    const name = `${step} ${key}`
    if (way.includes(name)) return way.slice(way.indexOf(name)).concat(name)
    const setting = steps.get(step)?.dials[key]
    if (setting === undefined || !isTrack(setting)) return undefined
    for (const rider of setting.riders ?? [])
      if (rider.type === 'follow' && rider.on && rider.of.type === 'point') {
        const found = walk(rider.of.step, rider.of.key, [...way, name])
        if (found) return found
      }
    return undefined
  }
  for (const [id, { dials }] of steps)
    for (const key of Object.keys(dials)) {
      const loop = walk(id, key, [])
      if (loop)
        return loop.map((one) => {
          const [step, dial] = one.split(' ') as [string, string]
          return title(step, dial)
        })
    }
  return undefined
}

import { placeOfStep } from '../comp/edits.ts'
import { pictureInput, type RecipeDial, type RecipeMove } from '../comp/recipe.ts'
import { mapLaneLinks } from '../comp/references.ts'
import {
  allSteps,
  findStep,
  isTrack,
  type Comp,
  type FeedLink,
  type Lane,
  type Link,
  type MatteLink,
  type Setting,
  type Step,
} from '../comp/schema.ts'
import { defaultOn } from '../dials/dials.ts'
import { putSetting } from '../comp/settings.ts'
import { effectOfRecipe } from './effect-of.ts'

// What the planner sees: links to inputs of a recipe are what is connected to them, and what its dials move has been moved.

/** The step that a lane is a part of; undefined for one that stands on the desk. */
export function stepAround(comp: Comp, laneId: string): string | undefined {
  for (let at = comp.lanes.find((l) => l.id === laneId); at?.in !== undefined;) {
    const around = comp.lanes.find((l) => l.id === at!.in)
    if (!around) return at.in
    at = around
  }
  return undefined
}

/** A setting inside for what a dial of a recipe is: a constant, or a track with the mapping as its last rider. */
export function movedTo(
  { at, values }: RecipeMove,
  { type, range = [0, 1] }: RecipeDial,
  setting: Setting,
): Setting {
  if (values !== undefined) {
    const one = (value: unknown) => values[String(value)]
    if (!isTrack(setting)) return one(setting) ?? setting
    const keys = setting.keys.map((key) => ({
      ...key,
      value: one(key.value) ?? key.value,
      go: 'hold' as const,
    }))
    return { keys }
  }
  if (at === undefined || type !== 'number') return setting
  const [low, high] = range
  const times = high === low ? 0 : (at[1] - at[0]) / (high - low)
  const plus = at[0] - low * times
  if (!isTrack(setting)) {
    const value = Number(setting)
    // Its ends are exact.
    return value === low ? at[0] : value === high ? at[1] : value * times + plus
  }
  if (times === 1 && plus === 0) return setting
  const rider = { type: 'shift', on: true, frames: 0, speed: 1, times, plus } as const
  return { ...setting, riders: [...(setting.riders ?? []), rider] }
}

/** The comp with all that the dials of a step move inside it. */
export function withMoves(comp: Comp, step: Step): Comp {
  const dials = effectOfRecipe(step.recipe!).dials
  return step.recipe!.dials.reduce((next, dial) => {
    const value = (step.dials[dial.key] ?? defaultOn(dials[dial.key]!, comp.canvas)) as Setting
    return dial.moves.reduce((c, move) => putSetting(c, move.setting, movedTo(move, dial, value)), next)
  }, comp)
}

/** A feed or matte inside that is an input, as what is connected to it: grown, softened and turned around by both. */
function met<F extends FeedLink>(own: F, outer: FeedLink): F {
  const sum = (a: Setting | undefined, b: Setting | undefined) =>
    a === undefined || a === 0
      ? b
      : b === undefined || b === 0 || isTrack(a) || isTrack(b)
        ? a
        : Number(a) + Number(b)
  const spread = sum(own.spread, outer.spread)
  const soft = sum(own.soft, outer.soft)
  const invert =
    typeof own.invert === 'object'
      ? own.invert
      : typeof outer.invert === 'object'
        ? outer.invert
        : (own.invert ?? false) !== (outer.invert ?? false)
  const use = own.use ?? outer.use
  const objects = outer.objects ?? own.objects
  const shaping = ['spread', 'soft', 'invert', 'use', 'objects']
  const rest = Object.fromEntries(Object.entries(own).filter(([key]) => !shaping.includes(key)))
  return {
    ...rest,
    from: outer.from,
    ...(spread === undefined ? {} : { spread }),
    ...(soft === undefined ? {} : { soft }),
    ...(invert === false ? {} : { invert }),
    ...(use === undefined ? {} : { use }),
    ...(objects === undefined ? {} : { objects }),
  } as unknown as F
}

/** The point of a lane that comes to a step. */
export function pointBefore(comp: Comp, stepId: string): Link {
  const { laneId, index } = placeOfStep(comp, stepId)!
  const steps = laneId === 'master' ? comp.master : comp.lanes.find((l) => l.id === laneId)!.steps
  return { type: 'tap', lane: laneId, after: index === 0 ? 'source' : steps[index - 1]!.id }
}

/** A lane of a step with its links to inputs as what is connected to these; those that are open are cut. */
export function connected(lane: Lane, step: Step, picture: Link): Lane {
  const feed = (key: string): FeedLink | undefined =>
    key === pictureInput ? { from: picture } : step.feeds[key]
  const one = <F extends FeedLink>(own: F): F => {
    const outer = own.from.type === 'input' ? feed(own.from.input) : undefined
    return outer ? met(own, outer) : own
  }
  const matte = (own: MatteLink): MatteLink => ({
    ...one(own),
    ...(own.also ? { also: own.also.map(one) } : {}),
  })
  const withFeeds: Lane = {
    ...lane,
    join: lane.join.matte ? { ...lane.join, matte: matte(lane.join.matte) } : lane.join,
    steps: lane.steps.map((inner) => ({
      ...inner,
      feeds: Object.fromEntries(Object.entries(inner.feeds).map(([key, own]) => [key, one(own)])),
      ...(inner.matte ? { matte: matte(inner.matte) } : {}),
    })),
  }
  // What is left are sources, riders, and inputs that are open.
  return mapLaneLinks(withFeeds, (link) => (link.type === 'input' ? feed(link.input)?.from : link))
}

const expandedOnes = new WeakMap<Comp, Comp>()

/**
 * The comp as it is planned: inside each step that is made of others, links to its inputs are what is connected to these, and settings are what
 * its dials say. Lanes and steps keep their ids and places. A comp without such steps stays the very same.
 */
export function expanded(comp: Comp): Comp {
  const known = expandedOnes.get(comp)
  if (known) return known
  let next = comp
  /** Outer ones first: their dials may move those of inner ones, and their inputs are connected by them. */
  const visit = (stepId: string) => {
    next = withMoves(next, findStep(next, stepId)!)
    const step = findStep(next, stepId)!
    const picture = pointBefore(next, stepId)
    const own = new Set(next.lanes.filter((l) => isOf(next, l, stepId)).map((l) => l.id))
    next = { ...next, lanes: next.lanes.map((l) => (own.has(l.id) ? connected(l, step, picture) : l)) }
    for (const lane of next.lanes)
      if (own.has(lane.id)) for (const inner of lane.steps) if (inner.recipe) visit(inner.id)
  }
  for (const step of allSteps(comp)) {
    if (!step.recipe) continue
    const { laneId } = placeOfStep(comp, step.id)!
    if (stepAround(comp, laneId) === undefined) visit(step.id)
  }
  expandedOnes.set(comp, next)
  return next
}

/** Whether a lane is directly of a step, buses between. */
const isOf = (comp: Comp, lane: Lane, stepId: string): boolean => {
  for (let at: Lane | undefined = lane; at?.in !== undefined;) {
    if (at.in === stepId) return true
    const around: Lane | undefined = comp.lanes.find((l) => l.id === at!.in)
    at = around
  }
  return false
}

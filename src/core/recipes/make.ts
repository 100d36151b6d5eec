import { assertNever } from '../assert.ts'
import { freshId, masterId, placeOfStep } from '../comp/edits.ts'
import { ordered } from '../comp/buses.ts'
import type { MediaTable } from '../comp/media.ts'
import {
  compoundEffect,
  partShown,
  pictureInput,
  type RecipeDial,
  type RecipeHead,
  type RecipeInput,
} from '../comp/recipe.ts'
import { mapLaneLinks, mapLinks, type LinkPlace } from '../comp/references.ts'
import {
  findStep,
  isTrack,
  type Comp,
  type Lane,
  type Link,
  type Setting,
  type Step,
} from '../comp/schema.ts'
import { dialAt, settingOf, type SettingRef } from '../comp/settings.ts'
import { plainWords } from '../plain-words.ts'
import { pointBefore } from './expand.ts'
import { effectOf } from './effect-of.ts'

// Several steps or lanes into one: the picture stays the same.

/** What a new recipe is called, and which settings its dials move. */
export interface NewRecipe {
  readonly name: string
  readonly about: string
  readonly family: RecipeHead['family']
  readonly words?: string
  readonly dials: readonly NewDial[]
  /** It offers its parts by a switch. */
  readonly parts?: boolean
  /** What of the things connected from outside is not as usual: they come in, under their own names. */
  readonly inputs?: readonly NewInput[]
}
export interface NewInput {
  readonly link: Link
  readonly name?: string
  /** A drawing may go along as a part of it; what is not needed may be left out, so that nothing is connected there. */
  readonly goes?: 'in' | 'along' | 'out'
}
export interface NewDial {
  readonly name: string
  readonly hint?: string
  /** The first gives it its range and its value; others are moved with it, each over the range that it is given or its own. */
  readonly settings: readonly { readonly ref: SettingRef; readonly at?: readonly [number, number] }[]
}

const slug = (text: string, taken: ReadonlySet<string>): string => {
  const base = plainWords(text, '-', 'input').slice(0, 30)
  let key = base
  for (let n = 2; taken.has(key) || key in Object.prototype; n++) key = `${base}-${n}`
  return key
}

type InsideRef = RecipeDial['moves'][number]['setting']
const isInsideRef = (ref: SettingRef): ref is InsideRef & SettingRef =>
  ref.of === 'dial' || ref.of === 'amount' || ref.of === 'on' || ref.of === 'opacity'

/** Over which values a setting moves with another one, so that both are now as they were: in proportion, or by as much from a value of 0. */
function inProportion(
  [low, high]: readonly [number, number],
  leading: Setting | undefined,
  own: Setting | undefined,
  range: readonly [number, number],
): readonly [number, number] {
  if (typeof leading !== 'number' || typeof own !== 'number') return range
  if (leading === 0) return [low + own, high + own]
  return [(low * own) / leading, (high * own) / leading]
}

/** The dial of a recipe for settings of a comp; undefined where none can be made of them. */
export function recipeDial(
  comp: Comp,
  { name, hint, settings }: NewDial,
  taken: ReadonlySet<string>,
): RecipeDial | undefined {
  const [first] = settings
  const dial = first && isInsideRef(first.ref) ? dialAt(comp, first.ref) : undefined
  if (!first || !dial || !isInsideRef(first.ref)) return undefined
  const value = settingOf(comp, first.ref)
  const base = { key: slug(name, taken), name, hint: hint ?? dial.hint }
  const range =
    dial.type === 'number'
      ? ([...(first.at ?? dial.range)] as [number, number])
      : ([0, 1] as [number, number])
  const moves = settings.flatMap(({ ref, at }): RecipeDial['moves'] => {
    if (!isInsideRef(ref)) return []
    const own = dialAt(comp, ref)
    if (own?.type !== dial.type || (own.type === 'curve' && dial.type === 'curve' && own.axis !== dial.axis))
      return []
    const isFirst = ref === first.ref
    const over =
      own.type !== 'number' || isFirst
        ? undefined
        : (at ?? inProportion(range, value, settingOf(comp, ref), own.range))
    return [{ setting: ref, ...(over ? { at: [...over] as [number, number] } : {}) }]
  })
  const constant = (fallback: unknown) =>
    (value !== undefined && isTrack(value) ? fallback : (value ?? fallback)) as RecipeDial['default']
  const list = (fallback: readonly (readonly number[])[]) =>
    constant(fallback.map((one) => [...one])) as number[][]
  switch (dial.type) {
    case 'number':
      return { ...base, type: 'number', range, unit: dial.unit, default: constant(dial.default), moves }
    case 'flag':
    case 'colour':
      return { ...base, type: dial.type, default: constant(dial.default), moves }
    case 'point': {
      const [x, y] = constant([0, 0]) as [number, number]
      return { ...base, type: 'point', default: [x / comp.canvas.width, y / comp.canvas.height], moves }
    }
    case 'choice':
      return { ...base, type: 'choice', options: { ...dial.options }, default: constant(dial.default), moves }
    case 'curve':
      return { ...base, type: 'curve', axis: dial.axis, default: list(dial.default), moves }
    case 'gradient':
    case 'picks':
      return { ...base, type: dial.type, default: list(dial.default), moves }
    default:
      return assertNever(dial)
  }
}

/** What kind of thing a link brings to where it stands. */
function kindAt(comp: Comp, place: LinkPlace): RecipeInput['kind'] {
  if (place.use === 'matte' || place.use === 'join') return 'matte'
  if (place.use !== 'feed') return 'light'
  return effectOf(findStep(comp, place.stepId))?.feeds[place.feed]?.kind ?? 'light'
}

/** Whether a feed can not be left open: always, or as the dials of its step stand. */
function isNeeded(comp: Comp, place: LinkPlace): boolean {
  if (place.use === 'source') return true
  if (place.use !== 'feed') return false
  const step = findStep(comp, place.stepId)
  const effect = effectOf(step)
  if (!step || !effect) return false
  if (effect.feeds[place.feed]?.required) return true
  return (
    !Object.values(step.dials).some(isTrack) &&
    (effect.needs?.(step.dials as never) ?? []).includes(place.feed)
  )
}

/** What an input is called, by what is connected to it first. */
function inputName(comp: Comp, media: MediaTable, link: Link, kind: RecipeInput['kind']): string {
  if (link.type === 'drawing') return comp.drawings.find((d) => d.id === link.drawing)?.name ?? 'shape'
  if (link.type === 'tap') return comp.lanes.find((l) => l.id === link.lane)?.name ?? 'picture'
  if (link.type === 'input') return link.input
  const pass = media[link.media]?.passes.find((p) => p.name === link.pass)
  return kind === 'matte' || kind === 'light' ? link.pass : (pass?.kind ?? kind)
}

interface Taken {
  readonly lanes: readonly Lane[]
  readonly inputs: readonly RecipeInput[]
  readonly feeds: Step['feeds']
}

/** What counts where nothing is connected, in words. */
function withoutIt(comp: Comp, place: LinkPlace): string | undefined {
  if (place.use === 'matte' || place.use === 'join') return 'everywhere'
  if (place.use !== 'feed') return undefined
  return effectOf(findStep(comp, place.stepId))?.feeds[place.feed]?.without
}

const isSame = (a: Link, b: Link) => JSON.stringify(a) === JSON.stringify(b)

/** Lanes with their links to the outside made inputs. What rides on a track keeps following what it follows. */
function withInputs(
  comp: Comp,
  media: MediaTable,
  lanes: readonly Lane[],
  picture: Link | undefined,
  wanted: readonly NewInput[] = [],
): Taken {
  const own = new Set(lanes.map((l) => l.id))
  const inputs = new Map<string, { input: RecipeInput; link: Link }>()
  const keys = new Set([pictureInput])
  const change = (link: Link, place: LinkPlace): Link | undefined => {
    if (place.use === 'rider' || link.type === 'input') return link
    if (link.type === 'tap' && own.has(link.lane)) return link
    const wish = wanted.find((w) => isSame(w.link, link))
    if (link.type === 'drawing' && wish?.goes === 'along') return link
    const isWithin = place.use === 'matte' || place.use === 'join'
    if (picture && isSame(link, picture) && !isWithin) return { type: 'input', input: pictureInput }
    const required = isNeeded(comp, place)
    if (wish?.goes === 'out' && !required) return undefined
    const id = JSON.stringify(link)
    const known = inputs.get(id)
    if (known) {
      if (required) inputs.set(id, { ...known, input: { ...known.input, required } })
      return { type: 'input', input: known.input.key }
    }
    const kind = kindAt(comp, place)
    const name = (wish?.name?.trim() ?? '') || inputName(comp, media, link, kind)
    const key = slug(name, keys)
    keys.add(key)
    const without = withoutIt(comp, place)
    inputs.set(id, {
      input: { key, name, kind, required, ...(without === undefined ? {} : { without }) },
      link,
    })
    return { type: 'input', input: key }
  }
  // Which of them are needed is known once all have been met.
  const changed = lanes.map((lane) => mapLaneLinks(lane, change))
  const all = [...inputs.values()]
  return {
    lanes: changed,
    inputs: all.map(({ input }) => input),
    feeds: Object.fromEntries(all.map(({ input, link }) => [input.key, { from: link }])),
  }
}

/** The head of a recipe, and what its dials stand on: what moved inside moves them now. */
function headed(
  comp: Comp,
  { name, about, family, words, dials, parts }: NewRecipe,
  inputs: readonly RecipeInput[],
) {
  const keys = new Set<string>([partShown])
  const values: Record<string, Setting> = {}
  const made = dials.flatMap((wanted) => {
    const dial = recipeDial(comp, wanted, keys)
    if (!dial) return []
    keys.add(dial.key)
    values[dial.key] = settingOf(comp, wanted.settings[0]!.ref)!
    return [dial]
  })
  const recipe: RecipeHead = {
    name,
    about,
    family,
    ...(words ? { words } : {}),
    inputs: [...inputs],
    dials: made,
    ...(parts ? { parts: true } : {}),
  }
  return { recipe, values }
}

/** A lane that shows its source, joined over what is behind it. */
export const plainLane = (id: string, name: string, source: Lane['source'], steps: Step[]): Lane => ({
  id,
  name,
  kind: 'picture',
  source,
  steps,
  join: { mode: 'over', opacity: 1 },
  muted: false,
  solo: false,
  locked: false,
})

/** Why steps can not become one, in words; undefined when they can. */
export function makeProblem(comp: Comp, stepIds: readonly string[]): string | undefined {
  const places = stepIds.map((id) => placeOfStep(comp, id))
  const [first] = places
  if (!first || places.some((p) => !p)) return 'There are no such steps.'
  if (places.some((p) => p!.laneId !== first.laneId))
    return 'These steps are on several lanes. Choose steps of one lane that stand side by side.'
  const at = places.map((p) => p!.index).sort((a, b) => a - b)
  return at.at(-1)! - at[0]! === at.length - 1
    ? undefined
    : 'These steps do not stand side by side. Move them together first.'
}

/**
 * Steps that stand side by side on a lane (or the master) as one step in their place: the same picture, under the dials that are asked for. What they take
 * from outside comes in by inputs; who took from them still does. Gives back the comp and the id of the step; the same comp where makeProblem says
 * why not.
 */
export function makeOneStep(
  comp: Comp,
  media: MediaTable,
  stepIds: readonly string[],
  wanted: NewRecipe,
): [Comp, string] {
  if (makeProblem(comp, stepIds) !== undefined) return [comp, '']
  const places = stepIds.map((id) => placeOfStep(comp, id)!).sort((a, b) => a.index - b.index)
  const { laneId, index } = places[0]!
  const steps = places.map((p) => p.step)
  const own = new Set(steps.map((s) => s.id))
  const stepId = freshId(comp, 'step')
  const insideId = freshId(comp, 'lane')
  const picture = pointBefore(comp, steps[0]!.id)
  const last = steps.at(-1)!.id
  const isOwn = (link: Link) =>
    link.type === 'tap' && link.lane === laneId && link.after !== undefined && own.has(link.after)
  const raw: Lane = {
    ...plainLane(insideId, wanted.name, { type: 'input', input: pictureInput }, steps),
    in: stepId,
  }
  // Taps of each other stay inside; then what is outside becomes inputs.
  const within = mapLaneLinks(raw, (link) =>
    isOwn(link) ? { ...(link as Link & { type: 'tap' }), lane: insideId } : link,
  )
  const { lanes, inputs, feeds } = withInputs(comp, media, [within], picture, wanted.inputs)
  const { recipe, values } = headed(comp, wanted, inputs)
  const step: Step = { id: stepId, effect: compoundEffect, on: true, amount: 1, dials: values, feeds, recipe }
  // Others that took from the last of them take from the one; points between are points inside.
  const rest = mapLinks(
    {
      ...comp,
      lanes: comp.lanes.map((l) =>
        l.id === laneId ? { ...l, steps: l.steps.filter((s) => !own.has(s.id)) } : l,
      ),
      master: laneId === masterId ? comp.master.filter((s) => !own.has(s.id)) : comp.master,
    },
    (link) =>
      !isOwn(link)
        ? link
        : (link as { after?: string }).after === last
          ? { type: 'tap', lane: laneId, after: stepId }
          : { ...(link as Link & { type: 'tap' }), lane: insideId },
  )
  const put = (list: readonly Step[]) => list.toSpliced(index, 0, step)
  const next: Comp = {
    ...rest,
    lanes: [...rest.lanes.map((l) => (l.id === laneId ? { ...l, steps: put(l.steps) } : l)), ...lanes],
    master: laneId === masterId ? put(rest.master) : rest.master,
  }
  return [{ ...next, lanes: ordered(next.lanes) }, stepId]
}

/**
 * Lanes of one place (with what is in their buses) as one step on a lane of its own, in place of the front one of them. Joined plainly among
 * themselves they look the same; a lane that multiplies or screens what is behind it does so no more. Gives back the comp, the lane and the step.
 */
export function makeOneStepOfLanes(
  comp: Comp,
  media: MediaTable,
  laneIds: readonly string[],
  wanted: NewRecipe,
): [Comp, string, string] {
  const tops = comp.lanes.filter((l) => laneIds.includes(l.id))
  const front = tops.at(-1)
  if (!front || tops.some((l) => l.in !== front.in)) return [comp, '', '']
  const stepId = freshId(comp, 'step')
  const laneId = freshId(comp, 'lane')
  const inTree = (lane: Lane): boolean => {
    for (let at: string | undefined = lane.id; at !== undefined;) {
      if (laneIds.includes(at)) return true
      const around: Lane | undefined = comp.lanes.find((l) => l.id === at)
      const holder: string | undefined = around?.in
      at =
        holder === undefined || comp.lanes.some((l) => l.id === holder)
          ? holder
          : placeOfStep(comp, holder)?.laneId
    }
    return false
  }
  const all = comp.lanes.filter(inTree)
  const { lanes, inputs, feeds } = withInputs(comp, media, all, undefined, wanted.inputs)
  const { recipe, values } = headed(comp, wanted, inputs)
  const step: Step = { id: stepId, effect: compoundEffect, on: true, amount: 1, dials: values, feeds, recipe }
  const holder: Lane = {
    ...plainLane(laneId, wanted.name, { type: 'colour', colour: [0, 0, 0], alpha: 0 }, [step]),
    ...(front.in === undefined ? {} : { in: front.in }),
  }
  const own = new Set(all.map((l) => l.id))
  const inner = lanes.map((l): Lane => (laneIds.includes(l.id) ? { ...l, in: stepId, solo: false } : l))
  const rest = comp.lanes.flatMap((l) => (l.id === front.id ? [holder] : own.has(l.id) ? [] : [l]))
  return [{ ...comp, lanes: ordered([...rest, ...inner]) }, laneId, stepId]
}

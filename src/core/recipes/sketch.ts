import type { RecipeDial, RecipeHead, RecipeInput } from '../comp/recipe.ts'
import { compoundEffect, pictureInput } from '../comp/recipe.ts'
import type { FeedLink, Lane, MatteLink, Setting, Source, Step } from '../comp/schema.ts'
import { compVersion } from '../comp/upgrades/upgrade.ts'
import { defaultDials, findEffect } from '../effects/registry.ts'
import { assert } from '../assert.ts'
import { recipeFileVersion, recipeFormat, type RecipeFile } from './recipe-file.ts'

// How a recipe of our own drawer is written down: its lanes and steps by name, and dials over their settings.

const canvas = { width: 1920, height: 1080 }

/** A lane of it. */
export interface LaneOf {
  readonly name: string
  readonly source?: Source
  readonly mode?: Lane['join']['mode']
  readonly opacity?: number
  readonly isMatte?: boolean
  readonly matte?: MatteLink
  /** Effect, dials and feeds by the name that dials know the step by. */
  readonly steps: Readonly<
    Record<string, readonly [string, Readonly<Record<string, Setting>>, Step['feeds']?]>
  >
}
/** A dial over settings named 'step.dial', or 'lane:name' for an opacity; the first gives its value. */
interface DialOf {
  readonly name: string
  readonly hint: string
  readonly of: readonly (string | readonly [string, readonly [number, number]])[]
  readonly range?: readonly [number, number]
  readonly unit?: string
}
/** A recipe as it is written down. */
export interface Sketch extends Pick<RecipeHead, 'name' | 'about' | 'family'> {
  readonly words: string
  readonly inputs?: readonly RecipeInput[]
  readonly lanes: readonly LaneOf[]
  readonly dials: Readonly<Record<string, DialOf>>
  /** A choice between all of it, its light alone and the thing without: names of the lanes that are the thing; all others are light. */
  readonly thing?: string
}

/** What comes in by an input of the recipe. */
export const from = (input: string): FeedLink => ({ from: { type: 'input', input } })
const picture: Source = { type: 'input', input: pictureInput }

/** Its parts as a document; what does not fit is a mistake of ours. */
export function sketch({ name, about, family, words, inputs = [], lanes, dials, thing }: Sketch): RecipeFile {
  const steps = new Map<string, { id: string; step: Step }>()
  const laneIds = new Map(lanes.map((l, i) => [l.name, `lane${i + 1}`]))
  const made = lanes.map((lane): Lane => ({
    id: laneIds.get(lane.name)!,
    name: lane.name,
    kind: lane.isMatte ? 'matte' : 'picture',
    source: lane.source ?? picture,
    steps: Object.entries(lane.steps).map(([key, [effect, own, feeds = {}]]): Step => {
      const found = findEffect(effect)
      assert(found, `no effect ${effect}`)
      const id = `step${steps.size + 1}`
      const step: Step = {
        id,
        effect,
        on: true,
        amount: 1,
        dials: { ...(defaultDials(found, canvas) as Step['dials']), ...own },
        feeds,
      }
      steps.set(key, { id, step })
      return step
    }),
    join: {
      mode: lane.mode ?? 'over',
      opacity: lane.opacity ?? 1,
      ...(lane.matte ? { matte: tapped(lane.matte, laneIds) } : {}),
    },
    in: 'recipe',
    muted: false,
    solo: false,
    locked: false,
  }))
  const setting = (
    name: string,
  ): { readonly setting: RecipeDial['moves'][number]['setting']; readonly value: Setting } => {
    if (name.startsWith('lane:')) {
      const lane = made.find((l) => l.name === name.slice(5))
      assert(lane, `no lane ${name}`)
      return { setting: { of: 'opacity', lane: lane.id }, value: lane.join.opacity }
    }
    const [key, dial] = name.split('.') as [string, string]
    const found = steps.get(key)
    assert(found, `no step ${key}`)
    return dial === 'amount'
      ? { setting: { of: 'amount', step: found.id }, value: 1 }
      : { setting: { of: 'dial', step: found.id, key: dial }, value: found.step.dials[dial]! }
  }
  const shown: RecipeDial[] = Object.entries(dials).map(
    ([key, { name: label, hint, of, range, unit }]): RecipeDial => {
      const moves = of.map((one) => {
        const [target, at] = typeof one === 'string' ? [one, undefined] : one
        return { setting: setting(target).setting, ...(at ? { at: [...at] as [number, number] } : {}) }
      })
      const first = of[0]!
      const value = setting(typeof first === 'string' ? first : first[0]).value
      const [step, dial] = (typeof first === 'string' ? first : first[0]).split('.') as [string, string]
      const own = findEffect(steps.get(step)?.step.effect ?? '')?.dials[dial]
      const base = { key, name: label, hint, moves }
      if (own?.type === 'colour') return { ...base, type: 'colour', default: value as RecipeDial['default'] }
      if (own?.type === 'flag') return { ...base, type: 'flag', default: value as boolean }
      if (own?.type === 'point') {
        const [x, y] = value as unknown as [number, number]
        return { ...base, type: 'point', default: [x / canvas.width, y / canvas.height] }
      }
      const span = range ?? (own?.type === 'number' ? own.range : [0, 1])
      const px = unit ?? (own?.type === 'number' ? own.unit : '')
      // A dial whose first setting has ends of its own begins where these give that setting's value.
      const ends = typeof first === 'string' ? undefined : first[1]
      const begin = ends
        ? span[0] + ((Number(value) - ends[0]) / (ends[1] - ends[0])) * (span[1] - span[0])
        : Number(value)
      return { ...base, type: 'number', range: [...span] as [number, number], unit: px, default: begin }
    },
  )
  if (thing !== undefined) {
    const values = (isThing: boolean) => ({ all: 1, light: isThing ? 0 : 1, thing: isThing ? 1 : 0 })
    shown.push({
      key: 'show',
      name: 'Show',
      hint: 'All of it; the light alone, for a lane of its own; or what it shines on, without.',
      type: 'choice',
      options: { all: 'All of it', light: 'Its light alone', thing: 'Without the light' },
      default: 'all',
      moves: lanes
        .filter((l) => !l.isMatte)
        .map((l) => ({
          setting: { of: 'opacity' as const, lane: laneIds.get(l.name)! },
          values: values(l.name === thing),
        })),
    })
  }
  const recipe: RecipeHead = { name, about, family, words, inputs: [...inputs], dials: shown }
  const values = Object.fromEntries(
    shown.map((d) => [
      d.key,
      d.type === 'point'
        ? ([canvas.width, canvas.height].map((side, i) => (d.default as number[])[i]! * side) as Setting)
        : d.default,
    ]),
  )
  return {
    format: recipeFormat,
    version: recipeFileVersion,
    comp: compVersion,
    canvas,
    step: {
      id: 'recipe',
      effect: compoundEffect,
      on: true,
      amount: 1,
      dials: values,
      feeds: {},
      recipe,
    },
    lanes: made,
    drawings: [],
  }
}

/** A matte that is tapped from a lane of the sketch by its name. */
function tapped(feed: MatteLink, ids: ReadonlyMap<string, string>): MatteLink {
  return feed.from.type === 'tap' ? { ...feed, from: { type: 'tap', lane: ids.get(feed.from.lane)! } } : feed
}

/** An input that says where. */
export const matteInput = (key: string, name: string, without: string): RecipeInput => ({
  key,
  name,
  kind: 'matte',
  required: false,
  without,
})

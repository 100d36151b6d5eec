import * as v from 'valibot'
import { dialProblems, storeProblems } from '../comp/check.ts'
import { piecesIn } from '../comp/change-space.ts'
import { editStep, emptyComp, placeOfStep } from '../comp/edits.ts'
import { putIn, takeOut } from '../comp/fragment.ts'
import type { MediaTable } from '../comp/media.ts'
import { naturalFeeds } from '../comp/natural-feeds.ts'
import { partShown } from '../comp/recipe.ts'
import { ProblemError } from '../comp/problem.ts'
import {
  findStep,
  issuesToProblems,
  isTrack,
  parseComp,
  type Comp,
  type Drawing,
  type Lane,
  type Setting,
  type Step,
} from '../comp/schema.ts'
import { scaledDial, type Dial, type DialValue } from '../dials/dials.ts'
import { compVersion } from '../comp/upgrades/upgrade.ts'
import { effectOf } from './effect-of.ts'

// A recipe as a document of its own: a step, what it is made of, and the drawings that belong to it.

export const recipeFormat = 'zafiro-recipe'
export const recipeFileVersion = 1
/** More is no recipe. */
export const mostRecipeBytes = 5e6

export interface RecipeFile {
  readonly format: typeof recipeFormat
  readonly version: typeof recipeFileVersion
  /** The version of the comp that its parts are written as. */
  readonly comp: number
  /** The size of the frame that its pixels are of. */
  readonly canvas: { readonly width: number; readonly height: number }
  /** What its colours are of; linear Rec.709 where left out. */
  readonly space?: 'acescg'
  /** The step, with nothing connected. */
  readonly step: Step
  readonly lanes: readonly Lane[]
  readonly drawings: readonly Drawing[]
}

/** The recipe that a step of a comp is. Undefined where it is none. */
export function recipeFileOf(comp: Comp, stepId: string): RecipeFile | undefined {
  const place = placeOfStep(comp, stepId)
  if (!place?.step.recipe) return undefined
  const piece = takeOut(comp, { steps: [stepId], withDrawings: true })
  const step: Step = { ...place.step }
  delete step.matte
  const { width, height } = comp.canvas
  return {
    format: recipeFormat,
    version: recipeFileVersion,
    comp: comp.version,
    canvas: { width, height },
    ...(comp.space ? { space: comp.space } : {}),
    step: { ...step, on: true, amount: 1, feeds: {} },
    lanes: piece.lanes,
    drawings: piece.drawings,
  }
}

const fileSchema = v.object({
  format: v.literal(recipeFormat, 'is not the format of a recipe'),
  version: v.pipe(v.number(), v.integer()),
  comp: v.pipe(v.number(), v.integer()),
  canvas: v.object({ width: v.number(), height: v.number() }),
  space: v.optional(v.picklist(['acescg'], 'is a working space that is not known here')),
  step: v.looseObject({ id: v.string(), recipe: v.looseObject({}) }),
  lanes: v.array(v.looseObject({ id: v.string() })),
  drawings: v.array(v.unknown()),
})

/** A comp with nothing but a recipe's step on a lane. Throws ProblemError. */
function compOf(read: v.InferOutput<typeof fileSchema>): Comp {
  const { lanes } = emptyComp(1, 1)
  const holder = {
    id: 'holder',
    name: 'Holder',
    kind: 'picture',
    source: { type: 'colour', colour: [0, 0, 0], alpha: 0 },
    steps: [read.step],
    join: { mode: 'over', opacity: 1 },
    muted: false,
    solo: false,
    locked: false,
  }
  const base = emptyComp(Math.round(read.canvas.width), Math.round(read.canvas.height))
  return parseComp({
    ...base,
    version: read.comp,
    lanes: [...lanes, holder, ...read.lanes],
    drawings: read.drawings,
  })
}

/** How deep recipes may lie in each other. */
const deepest = 12

function depthOf(comp: Comp, stepId: string, depth = 1): number {
  const inside = comp.lanes.filter((l) => l.in === stepId)
  const steps = inside.flatMap((l) => l.steps.filter((s) => s.recipe))
  return depth > deepest ? depth : Math.max(depth, ...steps.map((s) => depthOf(comp, s.id, depth + 1)))
}

/** Reads a recipe from JSON data. Throws ProblemError with every place that does not fit. */
export function parseRecipeFile(data: unknown): RecipeFile {
  const what = 'This recipe can not be taken'
  const read = v.safeParse(fileSchema, data)
  if (!read.success) throw new ProblemError('This is no Zafiro recipe', issuesToProblems(read.issues))
  const { version, comp: of, canvas, space } = read.output
  if (version > recipeFileVersion || of > compVersion)
    throw new ProblemError(what, [
      { path: 'version', message: 'is of a newer Zafiro than this one; take this one to that state first' },
    ])
  const comp = compOf(read.output)
  const { id } = read.output.step
  const step = findStep(comp, id)!
  if (depthOf(comp, id) > deepest)
    throw new ProblemError(what, [
      { path: 'lanes', message: `holds recipes in each other, more than ${deepest} deep` },
    ])
  const wrong = [...storeProblems(comp), ...dialProblems(comp)]
  if (wrong.length > 0) throw new ProblemError(what, wrong)
  return {
    format: recipeFormat,
    version: recipeFileVersion,
    comp: comp.version,
    canvas,
    ...(space ? { space } : {}),
    step,
    lanes: comp.lanes.filter((l) => l.id !== 'holder'),
    drawings: comp.drawings,
  }
}

/** Effects in a recipe that are not part of this Zafiro; their steps are kept and left out. */
export function unknownEffects({ lanes }: Pick<RecipeFile, 'lanes'>): string[] {
  const names = lanes.flatMap((l) => l.steps.flatMap((s) => (effectOf(s) ? [] : [s.effect])))
  return [...new Set(names)]
}

/** A setting for a frame of another width: what is in pixels is larger or smaller. */
function sizedSetting(dial: Dial | undefined, setting: Setting, factor: number): Setting {
  if (!dial) return setting
  const one = (value: DialValue) => scaledDial(dial, value, { reduction: 1 / factor, left: 0, top: 0 })
  if (!isTrack(setting)) return one(setting) as Setting
  return { ...setting, keys: setting.keys.map((k) => ({ ...k, value: one(k.value) as typeof k.value })) }
}

/** A step for a frame whose width is another by a factor; `inner` are the steps that it may be made of. Drawings keep their size. */
export function sizedStep(s: Step, factor: number, inner: readonly Step[]): Step {
  if (factor === 1) return s
  const px = (n: number) => n * factor
  const recipe = (head: NonNullable<Step['recipe']>): NonNullable<Step['recipe']> => ({
    ...head,
    dials: head.dials.map((d) => {
      const moves = d.moves.map((m) => {
        const set = m.setting
        const moved =
          set.of === 'dial' ? effectOf(inner.find((one) => one.id === set.step))?.dials[set.key] : undefined
        const isPx = moved?.type === 'number' && moved.unit === 'px'
        return isPx && m.at ? { ...m, at: [px(m.at[0]), px(m.at[1])] as [number, number] } : m
      })
      if (d.unit !== 'px' || d.type !== 'number') return { ...d, moves }
      const [low, high] = d.range ?? [0, 1]
      return { ...d, moves, default: px(Number(d.default)), range: [px(low), px(high)] as [number, number] }
    }),
  })
  const dials = effectOf(s)?.dials ?? {}
  return {
    ...s,
    dials: Object.fromEntries(
      Object.entries(s.dials).map(([key, one]) => [key, sizedSetting(dials[key], one, factor)]),
    ),
    ...(s.recipe ? { recipe: recipe(s.recipe) } : {}),
  }
}

/** The lanes and the step of a recipe for a frame of another width. */
function sized(file: RecipeFile, width: number): RecipeFile {
  const factor = width / file.canvas.width
  const inner = file.lanes.flatMap((l) => l.steps)
  const step = (s: Step) => sizedStep(s, factor, inner)
  return {
    ...file,
    lanes: file.lanes.map((l) => ({ ...l, steps: l.steps.map(step) })),
    step: step(file.step),
  }
}

/**
 * Puts a recipe onto a lane (or the master) before the step now at `at`, with ids of its own; what is in pixels is made for the comp's width, colours for its space, and
 * inputs that are there without a doubt are connected. Gives back the id of its step.
 */
export function putRecipe(
  comp: Comp,
  media: MediaTable,
  file: RecipeFile,
  laneId: string,
  at: number,
): [Comp, string] {
  const fit = sized(file, comp.canvas.width)
  const colours = { lanes: fit.lanes, steps: [fit.step], drawings: fit.drawings, inputs: [] }
  const piece = piecesIn(colours, file.space, comp.space)
  const [next, ids] = putIn(comp, piece, { laneId, at })
  const id = ids.get(fit.step.id)!
  const effect = effectOf(findStep(next, id))
  const feeds = effect ? naturalFeeds(comp, media, laneId, effect) : {}
  return [
    editStep(next, id, (step) => {
      Object.assign(step.feeds, feeds)
    }),
    id,
  ]
}

/** A step with another version of its recipe in it: what its dials say and what is connected stays, where that version has them. */
export function takeVersion(comp: Comp, stepId: string, file: RecipeFile): Comp {
  const place = placeOfStep(comp, stepId)
  if (!place?.step.recipe) return comp
  const [put, id] = putRecipe(comp, {}, file, place.laneId, place.index + 1)
  const fresh = findStep(put, id)!
  const { step: old } = place
  const has = (key: string) =>
    key === partShown
      ? fresh.recipe!.parts === true
      : fresh.recipe!.dials.some(
          (d) => d.key === key && d.type === old.recipe!.dials.find((o) => o.key === key)?.type,
        )
  const takes = (key: string) => fresh.recipe!.inputs.some((i) => i.key === key)
  const among = <T>(all: Readonly<Record<string, T>>, keep: (key: string) => boolean) =>
    Object.fromEntries(Object.entries(all).filter(([key]) => keep(key)))
  // The new one takes the id of the old one, so that who takes from it still does.
  const gone = new Set(takeOut(put, { steps: [stepId] }).lanes.map((l) => l.id))
  const step: Step = {
    ...old,
    recipe: fresh.recipe!,
    dials: { ...fresh.dials, ...among(old.dials, has) },
    feeds: among(old.feeds, takes),
  }
  const steps = (list: readonly Step[]) =>
    list.flatMap((s) => (s.id === id ? [] : s.id === stepId ? [step] : [s]))
  return {
    ...put,
    lanes: put.lanes
      .filter((l) => !gone.has(l.id))
      .map((l) => ({ ...l, steps: steps(l.steps), ...(l.in === id ? { in: stepId } : {}) })),
    master: steps(put.master),
  }
}

import * as v from 'valibot'
import { joinModes } from '../kernels/join-modes.ts'
import { drawing } from './drawing.ts'
import { moving, setting } from '../tracks/track.ts'
import { recipeHead } from './recipe.ts'
import { inputLink, link, passLink, drawingLink, plainFeed, soft, spread, tapLink } from './links.ts'
import { laneTime } from './lane-time.ts'
import { finite, id, name, point, rgb, unit, whole } from './parts.ts'
import { ProblemError, type Problem } from './problem.ts'
import { compVersion, upgraded } from './upgrades/upgrade.ts'

const feed = v.strictObject({
  ...plainFeed.entries,
  invert: v.optional(moving(v.boolean())),
  spread: v.optional(moving(spread)),
  soft: v.optional(moving(soft)),
})
/** A matte: one feed, and further ones joined to it in turn. */
const matte = v.strictObject({
  ...feed.entries,
  also: v.optional(
    v.array(v.strictObject({ ...feed.entries, by: v.picklist(['union', 'intersect', 'subtract']) })),
  ),
})
const step = v.strictObject({
  id,
  effect: v.pipe(v.string(), v.minLength(1)),
  name: v.optional(name),
  on: moving(v.boolean()),
  amount: moving(unit),
  dials: v.record(v.string(), setting),
  feeds: v.record(v.string(), feed),
  matte: v.optional(matte),
  /** It is made of the lanes that are in it. */
  recipe: v.optional(recipeHead),
})
const colour = moving(rgb)
const cover = moving(unit)
const gradientEnd = v.strictObject({ at: moving(point), colour, alpha: cover })
const source = v.variant('type', [
  passLink,
  tapLink,
  inputLink,
  /** Drawn shapes, filled; white where no colour is said. */
  v.strictObject({ ...drawingLink.entries, colour: v.optional(colour) }),
  v.strictObject({
    type: v.literal('colour'),
    colour,
    alpha: cover,
  }),
  /** From one colour at a point to another at the other, along a line or around the first. */
  v.strictObject({
    type: v.literal('gradient'),
    shape: v.picklist(['line', 'round']),
    from: gradientEnd,
    to: gradientEnd,
  }),
  /** A bus: the joined picture of the lanes that are in it. */
  v.strictObject({ type: v.literal('lanes') }),
])
const lane = v.strictObject({
  id,
  name,
  kind: v.picklist(['picture', 'matte']),
  source,
  steps: v.array(step),
  join: v.strictObject({
    mode: v.picklist(joinModes),
    opacity: moving(unit),
    matte: v.optional(matte),
  }),
  /** Its media in time. */
  time: v.optional(laneTime),
  /** The bus that it is joined into, instead of the picture, or the step that it is a part of. */
  in: v.optional(id),
  /** On the desk, what is in the bus is not shown. */
  folded: v.optional(v.boolean()),
  muted: v.boolean(),
  solo: v.boolean(),
  locked: v.boolean(),
})
const side = v.pipe(
  whole,
  v.minValue(1, 'wants at least 1 pixel'),
  v.maxValue(16384, 'wants at most 16384 pixels'),
)
const compSchema = v.strictObject({
  format: v.literal('zafiro-comp'),
  version: v.literal(compVersion),
  canvas: v.strictObject({
    width: side,
    height: side,
    margin: v.pipe(finite, v.minValue(0, 'wants 0 to 0.25'), v.maxValue(0.25, 'wants 0 to 0.25')),
  }),
  frames: v.strictObject({
    first: whole,
    last: whole,
    rate: v.pipe(finite, v.minValue(1), v.maxValue(240)),
  }),
  lanes: v.array(lane),
  master: v.array(step),
  /** How the picture is looked at; it does not change. Plain sRGB where left out. */
  /** 8-bit codes, on the screen and in files, are rounded up and down so that no bands are seen; left out: they are. */
  dither: v.optional(v.boolean()),
  viewing: v.optional(
    v.variant('type', [
      /** Light up to `white` under a soft shoulder (Reinhard et al. 2002). */
      v.strictObject({
        type: v.literal('shoulder'),
        white: v.pipe(finite, v.minValue(1), v.maxValue(1e4)),
      }),
      /** Through a colour table that gives sRGB-encoded values. */
      v.strictObject({ type: v.literal('table'), table: passLink, takes: v.picklist(['linear', 'srgb']) }),
    ]),
  ),
  /** What red, green and blue are, of passes that come in and of colours that are set; linear Rec.709 where left out. */
  space: v.optional(v.picklist(['acescg'])),
  /** The screen that it is looked at on, and that movies and review pictures are made for; sRGB where left out. */
  screen: v.optional(v.picklist(['p3', 'gamma-2.4'])),
  /** Drawn shapes, for sources and mattes to name. */
  drawings: v.optional(v.pipe(v.array(drawing), v.maxLength(500, 'wants at most 500 drawings')), []),
})

export type Comp = v.InferOutput<typeof compSchema>
export type Lane = Comp['lanes'][number]
export type Step = Lane['steps'][number]
export type Viewing = NonNullable<Comp['viewing']>
export type Screen = NonNullable<Comp['screen']>
export type Source = Lane['source']
export type Link = v.InferOutput<typeof link>
export type FeedLink = v.InferOutput<typeof feed>
export type MatteLink = v.InferOutput<typeof matte>
export type { Drawing } from './drawing.ts'
export { isTrack, type Setting, type Track } from '../tracks/track.ts'

/** What Valibot found, each with the path of the value ('lanes.0.steps.1.amount'). */
export function issuesToProblems(issues: readonly v.BaseIssue<unknown>[]): Problem[] {
  return issues.map((issue) => {
    const deepest = issue.issues?.[0]
    if (deepest && !issue.issues.some((i) => !i.path))
      return { path: v.getDotPath(issue) ?? '', message: deepest.message }
    return { path: v.getDotPath(issue) ?? '', message: issue.message }
  })
}

/** Reads a comp from JSON data, of this version or an earlier one. Throws ProblemError that lists every place that does not fit. */
export function parseComp(data: unknown): Comp {
  const result = v.safeParse(compSchema, upgraded(data))
  if (!result.success) throw new ProblemError('This comp can not be opened', issuesToProblems(result.issues))
  const comp = result.output
  const ids = [...comp.lanes, ...allSteps(comp), ...comp.drawings].map(({ id: one }) => one)
  const twice = ids.find((one, i) => ids.indexOf(one) !== i)
  if (twice)
    throw new ProblemError('This comp can not be opened', [
      { path: 'lanes', message: `the id ${twice} is used twice` },
    ])
  const holders = new Set([
    ...comp.lanes.flatMap((l) => (l.source.type === 'lanes' ? [l.id] : [])),
    ...allSteps(comp).flatMap((s) => (s.recipe ? [s.id] : [])),
  ])
  const lost = comp.lanes.findIndex((l) => l.in !== undefined && !holders.has(l.in))
  if (lost >= 0)
    throw new ProblemError('This comp can not be opened', [
      {
        path: `lanes.${lost}.in`,
        message: `there is no bus and no step made of others ${comp.lanes[lost]!.in ?? ''}`,
      },
    ])
  return comp
}

/** A step of a comp by its id; undefined where there is none. */
export function findStep(
  { lanes, master }: Pick<Comp, 'lanes' | 'master'>,
  id: string | undefined,
): Step | undefined {
  for (const { steps } of lanes) for (const step of steps) if (step.id === id) return step
  return master.find((step) => step.id === id)
}

/** All steps of a comp, lanes first, then the master. */
export function allSteps(comp: Comp): Step[] {
  return [...comp.lanes.flatMap((l) => l.steps), ...comp.master]
}

import * as v from 'valibot'
import { encodings } from '../core/colour/curves.ts'
import { alphaUses, gapFillings, passSchema, readingSchema } from '../core/comp/media.ts'
import { parseComp } from '../core/comp/schema.ts'
import { outputFormats } from '../core/formats/write-picture.ts'
import { renderSettings } from '../core/renders/render-settings.ts'
import { renderOptions } from '../core/renders/render-options.ts'

// What routes answer, as the page reads it. Routes give answers of these types, and every answer is read through them.

const hashByFrame = v.record(v.string(), v.string())
const media = v.object({
  name: v.string(),
  frames: hashByFrame,
  beside: v.exactOptional(v.record(v.string(), hashByFrame)),
  passes: v.array(passSchema),
  encoding: v.exactOptional(v.picklist(encodings)),
  alpha: v.exactOptional(v.picklist(alphaUses)),
  colour: v.exactOptional(v.object({ words: v.string(), doubt: v.optional(v.string()) })),
  reading: v.exactOptional(readingSchema),
  broken: v.exactOptional(hashByFrame),
  gaps: v.exactOptional(v.picklist(gapFillings)),
})
const mediaTable = v.record(v.string(), media)

/** The media of a shot, with what was noticed in their files. */
export const mediaAnswer = v.object({ media: mediaTable, notes: v.exactOptional(v.array(v.string())) })
/** The media that a file became. */
export const broughtInAnswer = v.object({ ref: v.string() })
/** A shot that a file began. */
export const shotBegunAnswer = v.object({ id: v.string() })
export const revisionAnswer = v.object({ revision: v.number() })
/** Of a revision that was not the newest: the one that is, and when it was saved. */
export const conflictDetails = v.object({ revision: v.number(), savedAt: v.string() })
/** Which of some files are there already, by their places in what was asked. */
export const knownAnswer = v.object({ known: v.array(v.number()) })
/** A shot with its newest comp and its media. */
export const shotAnswer = v.object({
  id: v.string(),
  name: v.string(),
  comp: v.pipe(v.unknown(), v.transform(parseComp)),
  revision: v.number(),
  savedAt: v.string(),
  media: mediaTable,
  notes: v.array(v.string()),
})

/** All shots, those that were changed last first. */
export const shotsAnswer = v.object({ shots: v.array(v.object({ id: v.string(), name: v.string() })) })

const workerStates = ['working', 'idle', 'paused', 'silent'] as const
/** Who renders. */
export const workersAnswer = v.object({
  workers: v.array(
    v.object({
      seat: v.string(),
      machine: v.string(),
      cores: v.number(),
      /** 0–1. */
      busy: v.number(),
      framesMade: v.number(),
      /** Milliseconds a frame; null before the first. */
      paceMs: v.nullable(v.number()),
      state: v.picklist(workerStates),
      /** Frames that it is given at once; as many as it asks for where null. */
      most: v.nullable(v.number()),
      holds: v.number(),
    }),
  ),
  /** What keeps frames from being handed out; null where nothing does. */
  problem: v.nullable(v.string()),
})
export type ShownWorker = v.InferOutput<typeof workersAnswer>['workers'][number]

const frameStates = ['waiting', 'working', 'done', 'failed', 'cancelled'] as const
export const renderAnswer = v.object({
  id: v.string(),
  shotId: v.string(),
  createdAt: v.string(),
  formats: v.array(v.picklist(outputFormats)),
  options: renderOptions,
  /** Which render of its shot it is. */
  version: v.number(),
  paused: v.boolean(),
  /** Frames of its shot are added as they come. */
  follows: v.boolean(),
  frames: v.array(
    v.object({
      frame: v.number(),
      state: v.picklist(frameStates),
      /** 0–1. */
      progress: v.number(),
      problem: v.nullable(v.string()),
      /** Names of the written files. */
      files: v.array(v.string()),
      /** Its small picture. */
      small: v.nullable(v.string()),
      finishedAt: v.nullable(v.string()),
    }),
  ),
})
export type ShownRender = v.InferOutput<typeof renderAnswer>
export const rendersAnswer = v.object({ renders: v.array(renderAnswer) })
/** Renders of all shots, those that are not through first, as they come. */
export const allRendersAnswer = v.object({
  renders: v.array(v.object({ shotName: v.string(), render: renderAnswer })),
})
/** What a render was made of: its comp, and media by which that is known. */
export const madeAnswer = v.object({
  comp: v.unknown(),
  media: mediaTable,
  beside: v.array(v.string()),
  lost: v.number(),
  isOtherBuild: v.boolean(),
})
/** Settings of renders that are kept by name. */
export const settingsAnswer = v.object({
  settings: v.array(v.object({ name: v.string(), ...renderSettings.entries })),
})
/** Folders below which files of renders may be put. */
export const outputRootsAnswer = v.object({ roots: v.array(v.string()) })
/** What became of asking for a render: its frames; none, and no render, where nothing was to be made. */
export const askedAnswer = v.object({ id: v.nullable(v.string()), frames: v.number() })

export const stillsAnswer = v.object({
  stills: v.array(v.object({ id: v.string(), name: v.string(), frame: v.number() })),
})
export type Still = v.InferOutput<typeof stillsAnswer>['stills'][number]

/** Objects of an ID pass: eight hexadecimal digits, the name where there is one, pixels that each covers. */
export const objectsAnswer = v.object({
  objects: v.array(v.object({ id: v.string(), name: v.exactOptional(v.string()), pixels: v.number() })),
})
export type ListedObject = v.InferOutput<typeof objectsAnswer>['objects'][number]

/** What was read out of pictures, by key. */
export const readingsAnswer = v.object({ readings: v.record(v.string(), v.array(v.number())) })

/** Folders whose files come into a shot, and what was refused of them. */
export const watchedAnswer = v.object({
  folders: v.array(v.object({ path: v.string(), name: v.string() })),
  refused: v.array(v.object({ name: v.string(), problem: v.string() })),
})

/** Recipes of the library as their documents; each is read where it is used. */
export const recipesAnswer = v.object({
  recipes: v.array(v.object({ id: v.string(), version: v.number(), doc: v.unknown(), savedAt: v.string() })),
})
export const recipeAnswer = v.object({ doc: v.unknown() })
export const recipeSavedAnswer = v.object({ id: v.string(), version: v.number() })

/** What lies in a folder of the intake folder. */
export const intakeAnswer = v.object({
  root: v.string(),
  path: v.string(),
  folders: v.array(v.string()),
  sequences: v.array(v.object({ name: v.string(), files: v.array(v.string()), frames: v.string() })),
})
export type IntakeListing = v.InferOutput<typeof intakeAnswer>

/** Whether everything answers, and the parts that stop again and again. */
export const healthAnswer = v.object({
  ok: v.boolean(),
  parts: v.array(v.object({ name: v.string(), crashes: v.number(), isRunning: v.boolean() })),
})
export type Part = v.InferOutput<typeof healthAnswer>['parts'][number]

/** It was done; what else is said does not matter. */
export const doneAnswer = v.unknown()

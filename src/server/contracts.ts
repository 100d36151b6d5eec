import * as v from 'valibot'
import {
  allRendersAnswer,
  broughtInAnswer,
  healthAnswer,
  intakeAnswer,
  knownAnswer,
  mediaAnswer,
  objectsAnswer,
  readingsAnswer,
  askedAnswer,
  recipeAnswer,
  recipeSavedAnswer,
  recipesAnswer,
  renderAnswer,
  rendersAnswer,
  settingsAnswer,
  outputRootsAnswer,
  madeAnswer,
  revisionAnswer,
  shotAnswer,
  shotBegunAnswer,
  shotsAnswer,
  stillsAnswer,
  watchedAnswer,
  workersAnswer,
} from '../contracts/answers.ts'
import { gapFillings, readingSchema } from '../core/comp/media.ts'
import { finite } from '../core/comp/parts.ts'
import { passDetailSchema, passFilters } from '../core/passes/pass-kind.ts'
import { passKinds } from '../core/passes/passes.ts'
import { outputFormats } from '../core/formats/write-picture.ts'
import { renderSettings, settingsName } from '../core/renders/render-settings.ts'
import { renderOptions } from '../core/renders/render-options.ts'
import { wantedFrames } from './render/frames-wanted.ts'

// What routes take: bodies as JSON, queries as objects of texts. Every route of src/app/api is listed in `routes`.

/** Text that a table can hold: whole characters, no NUL. */
const text = v.pipe(
  v.string(),
  v.check((t) => t.isWellFormed() && !t.includes('\0'), 'holds half a character'),
)
const named = v.pipe(
  text,
  v.minLength(1, 'wants some text'),
  v.maxLength(255, 'wants at most 255 characters'),
)
/** A frame number as tables hold it. */
/** The number of a frame as it is written in an address. */
const frameText = v.pipe(v.string(), v.regex(/^-?\d{1,9}$/, 'wants a whole number'), v.transform(Number))

export const intakeBody = v.object({ intake: v.pipe(text, v.minLength(1), v.maxLength(4000)) })
export const renameBody = v.object({ name: v.string() })
export const compBody = v.object({ base: v.pipe(finite, v.integer(), v.minValue(0)), comp: v.unknown() })
export const renderBody = v.object({
  /** As people write them: 1-48, 1-100x5, 3, 7, 12-15. */
  frames: v.optional(v.pipe(v.string(), v.maxLength(10_000, 'is longer than 10,000 letters'))),
  /** In place of frames: all there are, and further ones as they come. */
  follows: v.optional(v.boolean()),
  /** All of them where left out. */
  only: v.optional(v.picklist(wantedFrames)),
  options: v.optional(renderOptions),
  /** What frames that come are finished with: the look of their time, of now, or of one of the shot's renders. */
  look: v.optional(v.union([v.picklist(['then', 'now']), v.object({ render: named })])),
  formats: v.pipe(
    v.array(v.picklist(outputFormats)),
    v.minLength(1, 'Choose at least one format'),
    v.maxLength(20, 'wants at most 20 formats'),
  ),
})
export const renderChange = v.union([
  v.object({
    action: v.picklist([
      'cancel',
      'retry',
      'delete',
      'pause',
      'resume',
      'sooner',
      'later',
      'first',
      'last',
      'follow',
      'leave',
      'deliver',
    ]),
  }),
  /** Before another one, by its id. */
  v.object({ action: v.literal('before'), other: named }),
])
export const workerChange = v.object({
  paused: v.optional(v.boolean()),
  /** Frames at once; as many as it asks for where null. */
  most: v.optional(v.nullable(v.pipe(v.number(), v.integer(), v.minValue(1), v.maxValue(64)))),
})
export const mediaChange = v.union([
  v.object({
    media: named,
    pass: named,
    kind: v.optional(v.picklist(passKinds)),
    detail: v.optional(passDetailSchema),
  }),
  v.object({
    media: named,
    reading: v.optional(readingSchema),
    gaps: v.optional(v.picklist(gapFillings)),
  }),
])
export const knownBody = v.object({
  files: v.pipe(
    v.array(v.object({ name: v.string(), bytes: v.number(), modifiedMs: v.number() })),
    v.maxLength(100_000, 'wants at most 100,000 files at once'),
  ),
})
export const objectsQuery = v.object({ media: named, pass: named, frame: frameText })
/** Both without a value. */
export const movieQuery = v.object({ words: v.optional(text), alpha: v.optional(text) })
export const settingsBody = v.object({ name: settingsName, ...renderSettings.entries })
export const settingsQuery = v.object({ name: settingsName })
export const stillQuery = v.object({
  name: v.pipe(
    text,
    v.trim(),
    v.minLength(1, 'wants a name'),
    v.maxLength(120, 'wants at most 120 characters'),
  ),
  frame: frameText,
})
const span = v.pipe(v.string(), v.regex(/^-?\d{1,6},-?\d{1,6}$/, 'wants two numbers, such as 100,228'))
export const passQuery = v.object({
  as: v.optional(v.string(), ''),
  size: v.optional(v.picklist(['1', '2', '4', '8'], 'wants 1, 2, 4 or 8'), '1'),
  filter: v.optional(v.picklist(passFilters), 'mean'),
  rows: v.optional(span),
  columns: v.optional(span),
})
const readingKey = v.pipe(v.string(), v.regex(/^[0-9a-f]{32}$/, 'wants 32 hexadecimal digits'))
export const readingsQuestion = v.object({
  keys: v.pipe(v.array(readingKey), v.maxLength(5000, 'wants at most 5,000 keys')),
})
export const readingsBody = v.object({
  readings: v.record(readingKey, v.pipe(v.array(finite), v.maxLength(4, 'wants at most 4 numbers'))),
})
export const recipeBody = v.object({
  doc: v.unknown(),
  id: v.optional(v.pipe(v.string(), v.regex(/^[A-Za-z0-9]{12}$/, 'is no id of a recipe'))),
  /** The version that it was made from; 0 of a new one. */
  base: v.optional(v.pipe(finite, v.integer(), v.minValue(0))),
})
export const recipeQuery = v.object({
  version: v.pipe(v.string(), v.regex(/^\d{1,9}$/, 'wants a whole number'), v.transform(Number)),
})
export const watchedBody = v.object({
  path: v.pipe(text, v.maxLength(4000)),
  isWatched: v.boolean(),
})
export const intakeQuery = v.object({ path: v.optional(v.pipe(text, v.maxLength(4000)), '') })

/** Bytes of a body that a route takes, where it is more than a megabyte or no JSON. */
export const most = { recipe: 6e6, comp: 16e6, known: 16e6, thumbnail: 2e6, still: 15e6 } as const

export interface RouteContract {
  readonly method: 'GET' | 'HEAD' | 'POST' | 'PUT' | 'PATCH' | 'DELETE'
  /** Parts in braces are given. */
  readonly path: string
  readonly body?: v.GenericSchema
  readonly query?: v.GenericSchema
  /** What it answers as JSON, where it does. */
  readonly answer?: v.GenericSchema
  /** The body is a file. */
  readonly takesFile?: boolean
  /** It goes on until something ends. */
  readonly isStream?: boolean
}

export const routes: readonly RouteContract[] = [
  { method: 'GET', path: '/api/health', answer: healthAnswer },
  { method: 'GET', path: '/api/intake', query: intakeQuery, answer: intakeAnswer },
  { method: 'POST', path: '/api/shots', body: intakeBody, takesFile: true, answer: shotBegunAnswer },
  { method: 'GET', path: '/api/shots', answer: shotsAnswer },
  { method: 'GET', path: '/api/shots/{shot}', answer: shotAnswer },
  { method: 'PATCH', path: '/api/shots/{shot}', body: renameBody },
  { method: 'GET', path: '/api/shots/{shot}/comp', answer: revisionAnswer },
  { method: 'PUT', path: '/api/shots/{shot}/comp', body: compBody, answer: revisionAnswer },
  { method: 'GET', path: '/api/shots/{shot}/file' },
  { method: 'GET', path: '/api/shots/{shot}/media', answer: mediaAnswer },
  {
    method: 'POST',
    path: '/api/shots/{shot}/media',
    body: intakeBody,
    takesFile: true,
    answer: broughtInAnswer,
  },
  { method: 'PATCH', path: '/api/shots/{shot}/media', body: mediaChange, answer: mediaAnswer },
  { method: 'GET', path: '/api/shots/{shot}/media/events', isStream: true },
  { method: 'POST', path: '/api/shots/{shot}/media/known', body: knownBody, answer: knownAnswer },
  { method: 'GET', path: '/api/shots/{shot}/objects', query: objectsQuery, answer: objectsAnswer },
  { method: 'GET', path: '/api/shots/{shot}/renders', answer: rendersAnswer },
  { method: 'POST', path: '/api/shots/{shot}/renders', body: renderBody, answer: askedAnswer },
  { method: 'GET', path: '/api/shots/{shot}/watched', answer: watchedAnswer },
  { method: 'POST', path: '/api/shots/{shot}/watched', body: watchedBody },
  { method: 'GET', path: '/api/shots/{shot}/stills', answer: stillsAnswer },
  {
    method: 'POST',
    path: '/api/shots/{shot}/stills',
    query: stillQuery,
    takesFile: true,
    answer: stillsAnswer,
  },
  { method: 'GET', path: '/api/shots/{shot}/stills/{still}' },
  { method: 'DELETE', path: '/api/shots/{shot}/stills/{still}' },
  { method: 'GET', path: '/api/shots/{shot}/thumbnail' },
  { method: 'PUT', path: '/api/shots/{shot}/thumbnail', takesFile: true },
  { method: 'GET', path: '/api/render-settings', answer: settingsAnswer },
  { method: 'POST', path: '/api/render-settings', body: settingsBody, answer: settingsAnswer },
  { method: 'DELETE', path: '/api/render-settings', query: settingsQuery, answer: settingsAnswer },
  { method: 'GET', path: '/api/output-roots', answer: outputRootsAnswer },
  { method: 'GET', path: '/api/renders', answer: allRendersAnswer },
  { method: 'GET', path: '/api/renders/{render}', answer: renderAnswer },
  { method: 'POST', path: '/api/renders/{render}', body: renderChange },
  { method: 'GET', path: '/api/renders/{render}/events', isStream: true },
  { method: 'GET', path: '/api/renders/{render}/zip' },
  { method: 'GET', path: '/api/renders/{render}/movie/{name}', query: movieQuery },
  { method: 'GET', path: '/api/renders/{render}/shown/{frame}' },
  { method: 'POST', path: '/api/renders/{render}/made', answer: madeAnswer },
  { method: 'GET', path: '/api/renders/{render}/files/{name}' },
  { method: 'HEAD', path: '/api/renders/{render}/files/{name}' },
  { method: 'GET', path: '/api/recipes', answer: recipesAnswer },
  { method: 'POST', path: '/api/recipes', body: recipeBody, answer: recipeSavedAnswer },
  { method: 'GET', path: '/api/recipes/{recipe}', query: recipeQuery, answer: recipeAnswer },
  { method: 'DELETE', path: '/api/recipes/{recipe}' },
  { method: 'GET', path: '/api/recipes/{recipe}/uses', answer: shotsAnswer },
  { method: 'GET', path: '/api/workers', answer: workersAnswer },
  { method: 'PATCH', path: '/api/workers/{seat}', body: workerChange },
  { method: 'POST', path: '/api/readings', body: readingsQuestion, answer: readingsAnswer },
  { method: 'PUT', path: '/api/readings', body: readingsBody, answer: readingsAnswer },
  { method: 'GET', path: '/api/passes/{hash}/{pass}', query: passQuery },
  { method: 'HEAD', path: '/api/passes/{hash}/{pass}', query: passQuery },
]

import * as v from 'valibot'
import { gapFillings, passSchema, readingSchema } from './media.ts'
import { issuesToProblems, parseComp, type Comp } from './schema.ts'
import { ProblemError } from './problem.ts'

export const shotFileVersion = 1

const filesSchema = v.record(
  v.pipe(v.string(), v.regex(/^-?\d+$/, 'wants a frame number')),
  v.pipe(v.string(), v.minLength(1)),
)
const shotFileSchema = v.object({
  format: v.literal('zafiro-shot'),
  version: v.literal(shotFileVersion),
  name: v.pipe(v.string(), v.minLength(1)),
  comp: v.unknown(),
  media: v.record(
    v.string(),
    v.object({
      name: v.string(),
      /** Path by frame number, relative to the shot file, with forward slashes. */
      files: filesSchema,
      /** The same for passes that come in files of their own. */
      beside: v.optional(v.record(v.string(), filesSchema)),
      /** What the passes are; without it they are guessed. */
      passes: v.optional(v.array(passSchema)),
      reading: v.optional(readingSchema),
      gaps: v.optional(v.picklist(gapFillings)),
    }),
  ),
})

/** A shot as one portable document: its comp, and where its media lie beside it. */
export interface ShotFile {
  readonly format: 'zafiro-shot'
  readonly version: typeof shotFileVersion
  readonly name: string
  readonly comp: Comp
  readonly media: v.InferOutput<typeof shotFileSchema>['media']
}

/** Reads a shot file from JSON data. Throws ProblemError with every place that does not fit. */
export function parseShotFile(data: unknown): ShotFile {
  const result = v.safeParse(shotFileSchema, data)
  if (!result.success)
    throw new ProblemError('This is not a Zafiro shot file', issuesToProblems(result.issues))
  return { ...result.output, comp: parseComp(result.output.comp) }
}

import { readFile } from 'node:fs/promises'
import { join } from 'node:path'
import * as v from 'valibot'
import { home } from './home.ts'

const partsSchema = v.object({
  parts: v.array(
    v.object({
      name: v.string(),
      isRunning: v.boolean(),
      /** In the last minute. */
      crashes: v.number(),
      /** The end of what it said, where it stops again and again. */
      lastWords: v.optional(v.string()),
    }),
  ),
})
export type PartState = v.InferOutput<typeof partsSchema>['parts'][number]

/** Parts of the application that stop again and again, as the start notes them; none where it notes nothing. */
export async function troubledParts(): Promise<PartState[]> {
  try {
    const { parts } = v.parse(partsSchema, JSON.parse(await readFile(join(home, 'parts.json'), 'utf8')))
    return parts.filter((part) => part.lastWords !== undefined)
  } catch {
    return []
  }
}

import { ProblemError } from '../problem.ts'

/** JSON of a comp of some version: not checked yet. */
export type Document = Readonly<Record<string, unknown>>

/**
 * Makes a comp of one version into one of the next. Pure; what it does not know it hands on, as the check comes after the last.
 * Each is a file of its own named by the version it makes (`002-tracks.ts`), with a saved comp of the version before in fixtures/.
 */
export type Upgrade = (document: Document) => Document

/** From version n to n + 1 at place n − 1. The comp is at version 1 as yet. */
export const upgrades: readonly Upgrade[] = []

/** The version that a comp has after all upgrades; docs/comp-format.md describes it. */
export const compVersion = 1

/**
 * A comp's JSON as one of the present version. What is no comp at all is given back as it is, for the check to say so. Throws
 * ProblemError for a version that is newer than this Zafiro.
 */
export function upgraded(data: unknown, steps: readonly Upgrade[] = upgrades): unknown {
  const newest = steps.length + 1
  if (typeof data !== 'object' || data === null || !('version' in data)) return data
  const { version } = data
  if (typeof version !== 'number' || !Number.isInteger(version) || version < 1) return data
  if (version > newest)
    throw new ProblemError('This comp can not be opened', [
      {
        path: 'version',
        message: `is ${version}, but this Zafiro reads version ${newest}; open it with a newer one`,
      },
    ])
  return steps
    .slice(version - 1)
    .reduce<Document>((document, step, i) => ({ ...step(document), version: version + i + 1 }), data)
}

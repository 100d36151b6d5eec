import { ProblemError } from '../problem.ts'
import type { Document, Upgrade } from './document.ts'
import { toTracks } from './002-tracks.ts'

/** From version n to n + 1 at place n − 1. */
export const upgrades: readonly Upgrade[] = [toTracks]

/** The version that a comp has after all upgrades; docs/comp-format.md describes it. */
export const compVersion = 2

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

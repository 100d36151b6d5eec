import { mkdir, readdir } from 'node:fs/promises'
import { basename } from 'node:path'
import { namedFor, frameNumber as numberIn, mediaName as nameIn } from '../../core/comp/file-names.ts'
import { missingFrames, numberRanges } from '../../core/comp/media.ts'
import { folders } from '../home.ts'
import { intakePath } from '../incoming.ts'
import { isPictureName } from './intake.ts'

/** Files of a folder that belong together. */
export interface FoundSequence {
  readonly name: string
  readonly files: readonly string[]
  /** 'frames 1 to 48, missing 3, 7–9'; '' for a still. */
  readonly frames: string
}
export interface IntakeListing {
  /** Where the intake folder lies on this machine, for the person who is to put files there. */
  readonly root: string
  readonly path: string
  readonly folders: readonly string[]
  readonly sequences: readonly FoundSequence[]
}

/** Numbered files of one name and ending as sequences, others alone; by name. Numbers alone are frames of what their folder is called. */
export function groupFiles(names: readonly string[], folder?: string): FoundSequence[] {
  const groups = new Map<string, string[]>()
  const frameNumber = (file: string) => numberIn(namedFor(folder, file))
  const mediaName = (file: string) => nameIn(namedFor(folder, file))
  for (const name of names) {
    const key =
      frameNumber(name) === undefined ? name : `${mediaName(name)}\n${name.split('.').at(-1)!.toLowerCase()}`
    groups.set(key, [...(groups.get(key) ?? []), name])
  }
  const byNumber = (a: string, b: string) => (frameNumber(a) ?? 0) - (frameNumber(b) ?? 0)
  return [...groups.values()]
    .map((files): FoundSequence => {
      const sorted = files.toSorted(byNumber)
      const first = sorted[0]!
      if (sorted.length === 1) return { name: first, files: sorted, frames: '' }
      const numbers = sorted.map((f) => frameNumber(f)!)
      const missing = missingFrames(Object.fromEntries(numbers.map((n) => [n, ''])))
      const gaps = missing.length > 0 ? `, missing ${numberRanges(missing)}` : ''
      return {
        name: mediaName(first),
        files: sorted,
        frames: `frames ${numbers[0]} to ${numbers.at(-1)}${gaps}`,
      }
    })
    .sort((a, b) => a.name.localeCompare(b.name, 'en', { numeric: true }))
}

/** What lies in a folder of the intake folder, which is made when it is not there. Throws RequestError. */
export async function listIntake(path: string): Promise<IntakeListing> {
  await mkdir(folders.intake, { recursive: true })
  const entries = await readdir(await intakePath(path), { withFileTypes: true })
  const visible = entries.filter((e) => !e.name.startsWith('.'))
  return {
    root: folders.intake,
    path,
    folders: visible
      .filter((e) => e.isDirectory())
      .map((e) => e.name)
      .sort((a, b) => a.localeCompare(b, 'en', { numeric: true })),
    sequences: groupFiles(
      visible.filter((e) => e.isFile() && isPictureName(e.name)).map((e) => e.name),
      path === '' ? undefined : basename(path),
    ),
  }
}

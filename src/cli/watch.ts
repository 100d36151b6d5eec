import { readdir, rm, stat, writeFile } from 'node:fs/promises'
import { basename, dirname, extname, join, resolve } from 'node:path'
import { setTimeout as sleep } from 'node:timers/promises'
import { parseShotFile, type ShotFile } from '../core/comp/shot-file.ts'
import { frameNumber, mediaName, namedFor } from '../core/comp/file-names.ts'
import { isPictureName } from '../server/media/intake.ts'
import { readInput } from './inspect.ts'
import { renderShotFile, type RenderChoice, type RenderEvent } from './render.ts'
import { parseFrames } from './render-words.ts'
import { UsageError } from './usage-error.ts'

/** Files of a sequence are told by their name and ending. */
const kindOf = (name: string) => `${mediaName(name)}${extname(name).toLowerCase()}`
/** A file's name in a folder; a number alone is a frame of what the folder is called. */
const nameIn = (folder: string, path: string) => namedFor(basename(folder), basename(path))

export interface WatchChoice extends Omit<RenderChoice, 'frames' | 'mayLeave'> {
  /** It ends when these are made; else it goes on until it is stopped. */
  readonly frames?: string | undefined
  readonly everyMs?: number
  readonly isOver?: () => boolean
}

/** Sequences of a shot file whose files come into a folder: the media, and which kind of file each takes. */
function watchedOf(shot: ShotFile, shotPath: string, folder: string): Map<string, string[]> {
  const found = new Map<string, string[]>()
  for (const [ref, { files }] of Object.entries(shot.media)) {
    const first = Object.values(files)[0]
    if (first === undefined || frameNumber(nameIn(folder, first)) === undefined) continue
    if (resolve(dirname(shotPath), dirname(first)) !== folder) continue
    const kind = kindOf(nameIn(folder, first))
    found.set(kind, [...(found.get(kind) ?? []), ref])
  }
  return found
}

/**
 * `zafiro watch`: renders each frame of a shot file when all its sequences have it in a folder, and again when one of its files comes anew. A file is
 * taken when it has been the same at two looks. Gives back how many frames failed. Throws UsageError.
 */
export async function watchFolder(
  given: string,
  shotPath: string,
  { frames, everyMs = 1000, isOver = () => false, ...choice }: WatchChoice,
  say: (event: RenderEvent) => void,
): Promise<number> {
  const folder = resolve(given)
  const text = new TextDecoder().decode(await readInput(shotPath))
  let shot: ShotFile
  try {
    shot = parseShotFile(JSON.parse(text))
  } catch (error) {
    throw new UsageError(
      'unreadable',
      `${shotPath}: ${error instanceof Error ? error.message : String(error)}`,
    )
  }
  const wanted = frames === undefined ? undefined : new Set(parseFrames(frames))
  const watched = watchedOf(shot, shotPath, folder)
  if (watched.size === 0)
    throw new UsageError(
      'no-sequence',
      `no sequence of ${shotPath} lies in ${folder}; its media are ${
        Object.values(shot.media)
          .map((m) => m.name)
          .join(', ') || 'none'
      }`,
    )
  /** What each file was at the last look, and what frames were made of. */
  let before = new Map<string, string>()
  const made = new Map<number, string>()
  let failed = 0
  // Beside the shot file, as its media are named from there.
  const beside = join(dirname(resolve(shotPath)), `.watch-${process.pid}.zafiro.json`)
  try {
    while (!isOver()) {
      const names = await readdir(folder).catch(() => {
        throw new UsageError('no-folder', `${folder} is gone or can not be read`)
      })
      const now = new Map<string, string>()
      const there = new Map<string, Map<number, { name: string; mark: string }>>()
      for (const name of names) {
        const number = frameNumber(nameIn(folder, name))
        const kind = kindOf(nameIn(folder, name))
        if (number === undefined || !isPictureName(name) || name.startsWith('.') || !watched.has(kind))
          continue
        const info = await stat(join(folder, name)).catch(() => undefined)
        if (!info) continue
        const mark = `${info.size} ${info.mtimeMs}`
        now.set(name, mark)
        if (before.get(name) !== mark) continue
        const own = there.get(kind) ?? new Map<number, { name: string; mark: string }>()
        own.set(number, { name, mark })
        there.set(kind, own)
      }
      before = now
      const numbers = [...(there.get([...watched.keys()][0]!)?.keys() ?? [])].sort((a, b) => a - b)
      for (const frame of numbers) {
        if (isOver()) break
        if (wanted && !wanted.has(frame)) continue
        const files = [...watched.keys()].map((kind) => there.get(kind)?.get(frame))
        if (files.some((file) => file === undefined)) continue
        const mark = files.map((file) => file!.mark).join()
        if (made.get(frame) === mark) continue
        made.set(frame, mark)
        const media = Object.fromEntries(
          Object.entries(shot.media).map(([ref, one]) => {
            const kind = [...watched].find(([, refs]) => refs.includes(ref))?.[0]
            const all = kind === undefined ? undefined : there.get(kind)
            const came = [...(all ?? [])].map(([n, { name }]) => [n, join(folder, name)] as const)
            return [ref, { ...one, files: { ...one.files, ...Object.fromEntries(came) } }]
          }),
        )
        await writeFile(beside, JSON.stringify({ ...shot, media }))
        try {
          await renderShotFile(beside, { ...choice, frames: String(frame), mayLeave: true }, (event) => {
            if (event.event === 'frame' || event.event === 'warning') say(event)
          })
        } catch (error) {
          failed++
          say({
            event: 'failed',
            frame,
            message: error instanceof Error ? error.message : String(error),
            done: made.size,
            frames: wanted?.size ?? made.size,
          })
        }
      }
      if (wanted && [...wanted].every((frame) => made.has(frame))) break
      await sleep(everyMs)
    }
    return failed
  } finally {
    await rm(beside, { force: true })
  }
}

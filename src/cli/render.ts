import { mkdir } from 'node:fs/promises'
import { realpathSync } from 'node:fs'
import { dirname, join, resolve, sep } from 'node:path'
import { fileAt, type Media } from '../core/comp/media.ts'
import { dialProblems } from '../core/comp/check.ts'
import { ProblemError } from '../core/comp/problem.ts'
import { parseShotFile } from '../core/comp/shot-file.ts'
import { FormatError } from '../core/formats/format-error.ts'
import { encodePicture, outputFormats, outputName, type OutputFormat } from '../core/formats/write-picture.ts'
import { NodeEngine } from '../server/engine/node-engine.ts'
import type { MediaFile } from '../server/media/media-file.ts'
import { openMedia } from '../server/media/raster-file.ts'
import { nodeZlib } from '../server/media/node-zlib.ts'
import { writeWhole } from '../server/whole-file.ts'
import { fileStem } from '../server/render/render-thread.ts'
import { readInput } from './inspect.ts'
import { UsageError } from './usage-error.ts'

function parseFrames(text: string): number[] {
  const match = /^(-?\d+)(?:-(-?\d+))?$/.exec(text)
  const first = Number(match?.[1])
  const last = match?.[2] === undefined ? first : Number(match[2])
  if (!match || last < first)
    throw new UsageError('usage', `--frames wants A-B with A not after B, but met ${text}`)
  if (last - first >= 100_000)
    throw new UsageError('usage', `--frames ${text}: that is more than 100000 frames`)
  return Array.from({ length: last - first + 1 }, (_, i) => first + i)
}

function parseFormat(text: string): OutputFormat {
  const format = outputFormats.find((f) => f === text)
  if (!format)
    throw new UsageError('usage', `--format wants one of ${outputFormats.join(', ')}, but met ${text}`)
  return format
}

async function readJson(path: string): Promise<unknown> {
  const text = new TextDecoder().decode(await readInput(path))
  try {
    return JSON.parse(text) as unknown
  } catch (error) {
    throw new UsageError(
      'not-json',
      `${path}: is not JSON (${error instanceof Error ? error.message : String(error)})`,
    )
  }
}

/**
 * Places files below a folder, and refuses what leads out of it, by '..', as a whole path, or by a link: a shot file may come from
 * anyone. Throws UsageError.
 */
function insideOf(folder: string): (file: string) => string {
  const real = (path: string) => {
    try {
      return realpathSync(path)
    } catch {
      // What is not there is told when it is read.
      return path
    }
  }
  const root = real(folder)
  return (file) => {
    const found = real(resolve(folder, file))
    if (found.startsWith(root + sep)) return found
    throw new UsageError(
      'outside',
      `${file} lies outside the folder of the shot file (${root}); --allow-outside lets it be read`,
    )
  }
}

/** `zafiro render`: renders frames of a shot file without a database. Says each written file. */
export async function renderShotFile(
  path: string,
  options: { frames: string; out: string; format: string; mayLeave: boolean },
  say: (line: string) => void,
): Promise<void> {
  const frames = parseFrames(options.frames)
  const format = parseFormat(options.format)
  const shot = parseShotFile(await readJson(path))
  const wrong = dialProblems(shot.comp)
  if (wrong.length > 0) throw new ProblemError('This comp can not be rendered', wrong)
  const folder = dirname(resolve(path))

  // In place of content hashes, the file paths name the media; each file is opened once.
  const opened = new Map<string, Promise<MediaFile>>()
  const open = (file: string) => {
    const known =
      opened.get(file) ??
      readInput(file)
        .then(openMedia)
        .catch((error: unknown) => {
          throw error instanceof FormatError
            ? new UsageError('unreadable', `${file}: ${error.message}`)
            : error
        })
    opened.set(file, known)
    return known
  }
  const media: Record<string, Media> = {}
  const place = options.mayLeave ? (file: string) => resolve(folder, file) : insideOf(folder)
  const placed = (files: Readonly<Record<string, string>>) =>
    Object.fromEntries(Object.entries(files).map(([frame, file]) => [frame, place(file)]))
  for (const [ref, { name, files, beside, passes, reading, gaps }] of Object.entries(shot.media)) {
    const byFrame = placed(files)
    const first = fileAt({ name, frames: byFrame, passes: [] }, frames[0]!)
    if (!first && !beside) throw new UsageError('no-frames', `${path}: the media ${name} lists no files`)
    media[ref] = {
      name,
      frames: byFrame,
      passes: passes ?? (first ? (await open(first)).info.passes : []),
      ...(beside
        ? { beside: Object.fromEntries(Object.entries(beside).map(([pass, own]) => [pass, placed(own)])) }
        : {}),
      ...(reading ? { reading } : {}),
      ...(gaps ? { gaps } : {}),
    }
  }
  const engine = new NodeEngine(async ({ hash, pass, as }) =>
    (await open(hash)).readPass(pass.inFile ?? pass.name, as),
  )
  const warned = new Set<string>()
  try {
    await mkdir(options.out, { recursive: true })
    for (const frame of frames) {
      const { picture, problems, replaced } = await engine.renderFrame(shot.comp, media, frame)
      for (const { message } of problems) warned.add(message)
      for (const [pass, count] of replaced)
        warned.add(`${count} values of ${pass} are not finite numbers and count as 0.`)
      const dither = shot.comp.dither === false ? undefined : frame
      const file = join(options.out, outputName(fileStem(shot.name), frame, format))
      await writeWhole(
        file,
        encodePicture(picture, format, `${shot.name}, frame ${frame}`, engine.kernels, nodeZlib, dither),
      )
      say(file)
      // Frames hold different files; what was opened for this one is let go.
      opened.clear()
    }
    for (const message of warned) say(`warning: ${message}`)
  } finally {
    await engine.close()
  }
}

import { mkdir } from 'node:fs/promises'
import { existsSync, realpathSync } from 'node:fs'
import { dirname, join, resolve, sep } from 'node:path'
import { fileAt, type Media } from '../core/comp/media.ts'
import { dialProblems } from '../core/comp/check.ts'
import { ProblemError } from '../core/comp/problem.ts'
import type { LoadPass } from '../core/engine/evaluator.ts'
import { parseShotFile } from '../core/comp/shot-file.ts'
import { fileName, isByLibrary } from '../core/formats/write-picture.ts'
import type { Pass } from '../core/comp/media.ts'
import { layersOf } from '../core/renders/exr-layers.ts'
import { gapWords } from '../core/renders/gaps.ts'
import { fileStem, filledName, nameProblem, usualName } from '../core/renders/file-name.ts'
import { durationWords, paceOf } from '../core/renders/pace.ts'
import { NodeEngine } from '../server/engine/node-engine.ts'
import type { MediaFile } from '../server/media/media-file.ts'
import { encodeFile, straightCodes } from '../server/render/encode-file.ts'
import { burntIn } from '../server/render/burn-in.ts'
import { mayHaveAlpha, MovieError, movieKinds, MovieWriter } from '../server/render/movie.ts'
import { writeWhole } from '../server/whole-file.ts'
import { openInput, readInput } from './inspect.ts'
import { FileHelper, hasFileThread } from './file-helper.ts'
import {
  parseCompression,
  parseFormat,
  parseFrames,
  parseLayers,
  parseSize,
  parseSpace,
} from './render-words.ts'
import { UsageError } from './usage-error.ts'

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

export interface RenderChoice {
  readonly frames: string
  readonly out: string
  readonly format: string
  readonly mayLeave: boolean
  readonly scale?: string | undefined
  readonly name?: string | undefined
  readonly layers?: string | undefined
  /** How EXR files are packed. */
  readonly compression?: string | undefined
  /** What colours are written as. */
  readonly space?: string | undefined
  /** The number of the frame, shot and version are written on the frames of the movie. */
  readonly burnIn?: boolean | undefined
  /** The movie has alpha. */
  readonly movieAlpha?: boolean | undefined
  /** Frames whose file is there are left as they are. */
  readonly skipExisting?: boolean | undefined
  /** How many threads compute; as many as the machine has where left out. */
  readonly threads?: string | undefined
  /** A movie of all frames beside their files: .mp4, .webm or .mov. */
  readonly movie?: string | undefined
}

/** What happens while frames are rendered, one at a time. */
export type RenderEvent =
  | { readonly event: 'start'; readonly frames: number; readonly shot: string }
  | {
      readonly event: 'frame'
      readonly frame: number
      readonly file: string
      readonly ms: number
      readonly computeMs: number
      readonly done: number
      readonly frames: number
      readonly leftMs: number | undefined
    }
  | {
      readonly event: 'skipped'
      readonly frame: number
      readonly file: string
      readonly done: number
      readonly frames: number
    }
  | {
      readonly event: 'failed'
      readonly frame: number
      readonly message: string
      readonly done: number
      readonly frames: number
    }
  | { readonly event: 'warning'; readonly message: string }
  | {
      readonly event: 'end'
      readonly rendered: number
      readonly skipped: number
      readonly failed: number
      readonly ms: number
    }

/**
 * `zafiro render`: renders frames of a shot file without a database, and says what happens. A frame that can not be rendered is said, and the rest
 * goes on. Gives back how many failed.
 */
export async function renderShotFile(
  path: string,
  options: RenderChoice,
  say: (event: RenderEvent) => void,
): Promise<number> {
  const frames = parseFrames(options.frames)
  const format = parseFormat(options.format)
  const size = options.scale === undefined ? 1 : parseSize(options.scale)
  const compression = options.compression === undefined ? undefined : parseCompression(options.compression)
  const space = options.space === undefined ? undefined : parseSpace(options.space)
  const pattern = options.name ?? usualName
  const unfit = nameProblem(pattern)
  if (unfit) throw new UsageError('usage', `--name: ${unfit}`)
  const threads = options.threads === undefined ? undefined : Number(options.threads)
  if (threads !== undefined && !(Number.isInteger(threads) && threads >= 1 && threads <= 64))
    throw new UsageError('usage', `--threads wants a number from 1 to 64, but met ${options.threads!}`)
  const movieKind = movieKinds.find((kind) => options.movie?.toLowerCase().endsWith(`.${kind}`))
  if (options.movie !== undefined && !movieKind)
    throw new UsageError(
      'usage',
      `--movie wants a name that ends with .mp4, .webm or .mov, but met ${options.movie}`,
    )
  if (options.movieAlpha && movieKind && !mayHaveAlpha(movieKind))
    throw new UsageError('usage', '--movie-alpha wants .webm or .mov: H.264 has no alpha')
  if (movieKind && options.skipExisting)
    throw new UsageError('usage', '--movie wants all frames: leave --skip-existing out')
  const shot = parseShotFile(await readJson(path))
  const wrong = dialProblems(shot.comp)
  if (wrong.length > 0) throw new ProblemError('This comp can not be rendered', wrong)
  const folder = dirname(resolve(path))

  // In place of content hashes, the file paths name the media; each file is opened once.
  const opened = new Map<string, Promise<MediaFile>>()
  const open = (file: string) => {
    const known = opened.get(file) ?? openInput(file)
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
  const files = hasFileThread() ? new FileHelper() : undefined
  const load: LoadPass = async ({ hash, pass, as }) => {
    const name = pass.inFile ?? pass.name
    return files ? files.read({ read: hash, pass: name, as }) : (await open(hash)).readPass(name, as)
  }
  const layers = layersOf(shot.comp, media, parseLayers(options.layers))
  const objectNames = async (file: string, pass: Pass) =>
    (await open(file)).masks.find((m) => m.layer === (pass.inFile ?? pass.name))?.objects ??
    new Map<number, string>()
  const engine = new NodeEngine(load, { objectNames, ...(threads === undefined ? {} : { threads }) })
  const warned = new Set<string>()
  const began = performance.now()
  const doneAt: number[] = []
  let [rendered, skipped, failed] = [0, 0, 0]
  let movie: MovieWriter | undefined
  const counted = () => ({ done: rendered + skipped + failed, frames: frames.length })
  let writing: Promise<void> = Promise.resolve()
  const sayMade = (frame: number, file: string, ms: number, computeMs: number) => {
    rendered++
    doneAt.push(performance.now())
    const left = paceOf(doneAt, frames.length - counted().done)
    say({
      event: 'frame',
      frame,
      file,
      ms: Math.round(ms),
      computeMs: Math.round(computeMs),
      ...counted(),
      leftMs: left && Math.round(left.leftMs),
    })
  }
  const sayBroken = (frame: number, error: unknown) => {
    // A frame that is broken is no reason to leave the rest; one that was asked for alone is told as it is.
    if (frames.length === 1 || isFull(error) || error instanceof MovieError) throw error
    failed++
    const message = error instanceof Error ? error.message : String(error)
    say({ event: 'failed', frame, message, ...counted() })
  }
  say({ event: 'start', frames: frames.length, shot: shot.name })
  try {
    await mkdir(options.out, { recursive: true })
    for (const [i, frame] of frames.entries()) {
      const base = filledName(pattern, { shot: fileStem(shot.name), frame, version: 1, space })
      const file = join(options.out, fileName(base, format))
      if (options.skipExisting && existsSync(file)) {
        skipped++
        say({ event: 'skipped', frame, file, ...counted() })
        continue
      }
      const from = performance.now()
      let [written, computeMs] = [Promise.resolve(), 0]
      try {
        const made = await engine.renderFrame(shot.comp, media, frame, size, files && frames[i + 1])
        const { picture, problems, replaced } = made
        computeMs = made.computeMs
        for (const words of gapWords(shot.comp, media, frame)) warned.add(words)
        for (const { message } of problems) warned.add(message)
        for (const [pass, count] of replaced)
          warned.add(`${count} values of ${pass} are not finite numbers and count as 0.`)
        const of = { comp: shot.comp, media, frame }
        const name = `${shot.name}, frame ${frame}`
        // The picture is the engine's until it makes the next one.
        const isKept = layers.length > 0 || (files && !isByLibrary(format))
        const whole = isKept ? { ...picture, data: picture.data.slice() } : picture
        const exr = {
          layers: await engine.exrLayers(shot.comp, media, frame, layers, size),
          compression,
          space,
          working: shot.comp.space,
        }
        if (movieKind) {
          const { width, height } = whole
          const hasAlpha = options.movieAlpha ?? false
          const { rate } = shot.comp.frames
          movie ??= new MovieWriter(options.movie!, movieKind, {
            width,
            height,
            rate,
            hasAlpha,
            screen: shot.comp.screen,
          })
          const codes = await (hasAlpha ? straightCodes(engine, whole, of) : engine.shownCodes(whole, of))
          const words = { shot: shot.name, frame, version: 1 }
          await movie.write(options.burnIn ? await burntIn(codes, { width, height }, words) : codes)
        }
        const dither = shot.comp.dither === false ? undefined : frame
        if (files && !isByLibrary(format))
          written = files.write({ write: file, picture: whole, format, name, dither, exr })
        else await writeWhole(file, await encodeFile(whole, format, name, engine, of, exr))
      } catch (error) {
        written = Promise.reject(error instanceof Error ? error : new Error(String(error)))
      }
      // One frame is written while the next is computed; more are not kept.
      const before = writing
      writing = written.then(
        () => {
          sayMade(frame, file, performance.now() - from, computeMs)
        },
        (error: unknown) => {
          sayBroken(frame, error)
        },
      )
      writing.catch(() => undefined)
      await before
      // Frames hold different files; what was opened for this one is let go.
      opened.clear()
    }
    await writing
    await movie?.finish()
    movie = undefined
    for (const message of warned) say({ event: 'warning', message })
    say({ event: 'end', rendered, skipped, failed, ms: Math.round(performance.now() - began) })
    return failed
  } finally {
    await movie?.drop()
    await files?.close()
    await engine.close()
  }
}

/** The disk is full: no further frame has room either. */
const isFull = (error: unknown) => error instanceof Error && 'code' in error && error.code === 'ENOSPC'

/** An event as a line for people. */
export function eventWords(event: RenderEvent): string | undefined {
  switch (event.event) {
    case 'start':
    case 'end':
      return undefined
    case 'frame':
      return event.file
    case 'skipped':
      return `${event.file} is there already`
    case 'failed':
      return `frame ${event.frame} failed: ${event.message}`
    case 'warning':
      return `warning: ${event.message}`
  }
}

/** How far a render is, for the last line of a terminal. */
export function progressWords(event: RenderEvent): string | undefined {
  if (!('done' in event)) return undefined
  const left =
    'leftMs' in event && event.leftMs !== undefined ? `, about ${durationWords(event.leftMs)} left` : ''
  return `${event.done} of ${event.frames} frames${left}`
}

import { readFile, stat } from 'node:fs/promises'
import { join } from 'node:path'
import sharp from 'sharp'
import { readPngHeader } from '../../core/formats/png.ts'
import { isReview } from '../../core/formats/write-picture.ts'
import { folders } from '../home.ts'
import type { Render } from '../db/renders.ts'
import { RequestError } from '../request-error.ts'
import { burntIn, type BurntWords } from './burn-in.ts'
import { mayHaveAlpha, MovieError, MovieWriter, type MovieKind } from './movie.ts'

/** Movies that are being made, so that two who ask wait for one. */
const making = new Map<string, Promise<void>>()

const changedAt = async (path: string) => {
  try {
    return (await stat(path)).mtimeMs
  } catch {
    return undefined
  }
}

/** How a movie is made beyond its kind: with the number of the frame, shot and version written on it; with alpha. */
export interface MovieChoice {
  readonly hasWords?: boolean
  readonly hasAlpha?: boolean
}

interface MovieFrame {
  readonly file: string
  readonly words: BurntWords
}

async function make(
  path: string,
  kind: MovieKind,
  frames: readonly MovieFrame[],
  rate: number,
  { hasWords = false, hasAlpha = false }: MovieChoice,
): Promise<void> {
  const { width, height } = await sharp(frames[0]!.file).metadata()
  // The pictures say which screen they were made for.
  const { coded } = readPngHeader(await readFile(frames[0]!.file))
  const screen = coded?.[0] === 12 ? 'p3' : undefined
  const writer = new MovieWriter(path, kind, { width, height, rate, hasAlpha, screen })
  try {
    for (const { file, words } of frames) {
      const codes = await sharp(file).ensureAlpha().raw().toBuffer()
      await writer.write(hasWords ? await burntIn(codes, { width, height }, words) : codes)
    }
    await writer.finish()
  } catch (error) {
    await writer.drop()
    throw error
  }
}

/**
 * The movie of a render's pictures as they are looked at, by rising frame; made when it is asked for, and again when pictures have come since. Throws
 * RequestError where there are none, or no movie can be made.
 */
export async function movieOf(
  render: Pick<Render, 'id' | 'version' | 'frames'>,
  kind: MovieKind,
  { rate, shot }: { readonly rate: number; readonly shot: string },
  choice: MovieChoice = {},
): Promise<string> {
  const folder = join(/*turbopackIgnore: true*/ folders.renders, render.id)
  const { hasWords = false, hasAlpha = false } = choice
  if (hasAlpha && !mayHaveAlpha(kind)) throw new RequestError(400, 'H.264 has no alpha: take WebM or MOV.')
  const frames = render.frames.flatMap(({ frame, files }) =>
    files
      .filter((name) => isReview(name, hasAlpha))
      .map((name) => ({ file: join(folder, name), words: { shot, frame, version: render.version } })),
  )
  if (frames.length === 0)
    throw new RequestError(
      404,
      `This render has no pictures for a movie. Render it with “As on screen, ${hasAlpha ? 'with alpha' : 'for movies'}” among its files.`,
    )
  const files = frames.map((f) => f.file)
  const path = join(folder, `movie${hasWords ? '-words' : ''}${hasAlpha ? '-alpha' : ''}.${kind}`)
  const [made, ...came] = await Promise.all([changedAt(path), ...files.map(changedAt)])
  const there = frames.filter((_, i) => came[i] !== undefined)
  if (there.length === 0) throw new RequestError(404, 'The pictures of this render have gone from the disk.')
  if (made !== undefined && came.every((at) => at === undefined || at <= made)) return path
  const work = making.get(path) ?? make(path, kind, there, rate, choice)
  making.set(path, work)
  try {
    await work
  } catch (error) {
    if (error instanceof MovieError) throw new RequestError(503, error.message)
    throw error
  } finally {
    making.delete(path)
  }
  return path
}

import { stat } from 'node:fs/promises'
import { join } from 'node:path'
import sharp from 'sharp'
import { folders } from '../home.ts'
import { RequestError } from '../request-error.ts'
import { MovieError, MovieWriter, type MovieKind } from './movie.ts'

/** Movies that are being made, so that two who ask wait for one. */
const making = new Map<string, Promise<void>>()

const changedAt = async (path: string) => {
  try {
    return (await stat(path)).mtimeMs
  } catch {
    return undefined
  }
}

async function make(path: string, kind: MovieKind, files: readonly string[], rate: number): Promise<void> {
  const first = await sharp(files[0]).metadata()
  const writer = new MovieWriter(path, kind, { width: first.width, height: first.height, rate })
  try {
    for (const file of files) await writer.write(await sharp(file).ensureAlpha().raw().toBuffer())
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
  render: { readonly id: string; readonly frames: readonly { readonly files: readonly string[] }[] },
  kind: MovieKind,
  rate: number,
): Promise<string> {
  const folder = join(/*turbopackIgnore: true*/ folders.renders, render.id)
  const files = render.frames
    .flatMap((f) => f.files.filter((name) => name.endsWith('.review.png')))
    .map((name) => join(folder, name))
  if (files.length === 0)
    throw new RequestError(404, 'This render has no pictures for a movie. Render it with “As on screen, for movies” among its files.')
  const path = join(folder, `movie.${kind}`)
  const [made, ...came] = await Promise.all([changedAt(path), ...files.map(changedAt)])
  const there = files.filter((_, i) => came[i] !== undefined)
  if (there.length === 0) throw new RequestError(404, 'The pictures of this render have gone from the disk.')
  if (made !== undefined && came.every((at) => at === undefined || at <= made)) return path
  const work = making.get(path) ?? make(path, kind, there, rate)
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
} // prettier-ignore

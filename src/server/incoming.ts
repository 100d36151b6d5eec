import { createWriteStream } from 'node:fs'
import { mkdir, realpath, rm, stat } from 'node:fs/promises'
import { basename, join, sep } from 'node:path'
import { Readable } from 'node:stream'
import { pipeline } from 'node:stream/promises'
import * as v from 'valibot'
import { newId, readJson, RequestError } from './answer.ts'
import { folders } from './home.ts'
import { IntakeError } from './media/intake.ts'

/** A file on this machine's disk that someone brings in. */
export interface Incoming {
  readonly path: string
  readonly fileName: string
  readonly modifiedMs: number | undefined
  /** It lies where it is used, with other files beside it, and stays there. */
  readonly isInPlace: boolean
}

const isKey = (key: string) => /^[0-9a-f]{64}$/.test(key)

/** Where an upload that comes in pieces lies until it is whole. Throws RequestError for what is no key. */
export function uploadPath(key: string): string {
  if (!isKey(key)) throw new RequestError(400, 'An upload is named by 64 hexadecimal digits.')
  return join(folders.uploads, `${key}.part`)
}

/** How much of an upload is there. */
export async function receivedBytes(key: string): Promise<number> {
  return stat(uploadPath(key)).then(
    (s) => s.size,
    () => 0,
  )
}

/**
 * Streams a request body to the end of an upload; what has come in when it breaks off is kept. Gives back the new size.
 * Throws RequestError 409 when the upload is not as long as the sender thinks.
 */
export async function appendUpload(
  key: string,
  offset: number,
  body: ReadableStream | null,
): Promise<number> {
  const path = uploadPath(key)
  await mkdir(folders.uploads, { recursive: true })
  const there = await receivedBytes(key)
  if (there !== offset)
    throw new RequestError(409, `The upload has ${there} bytes, not ${offset}.`, [], { received: there })
  if (body) await pipeline(Readable.fromWeb(body as never), createWriteStream(path, { flags: 'a' }))
  return receivedBytes(key)
}

/** A path inside the intake folder, as it really is. Throws RequestError for what leads out of it or is not there. */
export async function intakePath(relative: string): Promise<string> {
  const root = await realpath(folders.intake).catch(() => undefined)
  const found = root && (await realpath(join(root, relative)).catch(() => undefined))
  if (!root || !found)
    throw new RequestError(404, `${relative || 'The intake folder'} is not there any more.`)
  if (found !== root && !found.startsWith(root + sep))
    throw new RequestError(400, `${relative} does not lie in the intake folder.`)
  return found
}

const intakeSchema = v.object({ intake: v.pipe(v.string(), v.minLength(1)) })

/**
 * Gives a request's file to some work: its body, an upload that came in pieces (x-upload), or a file of the intake folder
 * (JSON { intake: path }). What was uploaded is removed afterwards, unless it can not be taken for now.
 */
export async function withIncoming<T>(request: Request, work: (file: Incoming) => Promise<T>): Promise<T> {
  if (request.headers.get('content-type')?.startsWith('application/json')) {
    const body = v.safeParse(intakeSchema, await readJson(request))
    if (!body.success)
      throw new RequestError(400, 'Bringing in from the intake folder wants { intake: path }.')
    const path = await intakePath(body.output.intake)
    const { mtimeMs } = await stat(path)
    return work({ path, fileName: basename(path), modifiedMs: mtimeMs, isInPlace: true })
  }
  const fileName = decodeURIComponent(request.headers.get('x-file-name') ?? '')
    .split(/[\\/]/)
    .at(-1)
    ?.trim()
  const modified = Number(request.headers.get('x-file-modified') ?? NaN)
  const modifiedMs = Number.isFinite(modified) ? modified : undefined
  const key = request.headers.get('x-upload')
  if ((!request.body && key === null) || !fileName)
    throw new RequestError(400, 'The request holds no file, or does not say its name.')
  if (fileName.length > 200)
    throw new RequestError(400, 'The file name is longer than 200 characters; shorten it.')
  await mkdir(folders.uploads, { recursive: true })
  const path = key === null ? join(folders.uploads, newId()) : uploadPath(key)
  let isDone = key === null
  try {
    if (key === null) await pipeline(Readable.fromWeb(request.body as never), createWriteStream(path))
    const result = await work({ path, fileName, modifiedMs, isInPlace: false })
    isDone = true
    return result
  } catch (error) {
    // A file that can not be read will not be better for being sent again.
    isDone ||= error instanceof IntakeError
    throw error
  } finally {
    if (isDone) await rm(path, { force: true })
  }
}

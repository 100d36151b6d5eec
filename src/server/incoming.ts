import { createWriteStream } from 'node:fs'
import { mkdir, realpath, rm, stat } from 'node:fs/promises'
import { basename, dirname, join, sep } from 'node:path'
import { Readable, Transform } from 'node:stream'
import { pipeline } from 'node:stream/promises'
import { FileStore } from '@tus/file-store'
import * as v from 'valibot'
import { namedFor } from '../core/comp/file-names.ts'
import { intakeBody } from './contracts.ts'
import { folders } from './home.ts'
import { IntakeError, NoSuchShot } from './media/intake.ts'
import { hashFile } from './media/store.ts'
import { readBody } from './request-body.ts'
import { RequestError } from './request-error.ts'
import { partName } from './whole-file.ts'

/** A file on this machine's disk that someone brings in. */
export interface Incoming {
  readonly path: string
  readonly fileName: string
  readonly modifiedMs: number | undefined
  /** It lies where it is used, with other files beside it, and stays there. */
  readonly isInPlace: boolean
}

/** Larger files are sent by the upload protocol, which goes on where a connection broke. */
const mostInOneGo = 256e6

/** What a file of the intake folder is called: numbers alone are frames of what their folder is called. */
async function nameInFolder(path: string): Promise<string> {
  const folder = dirname(path)
  const isRoot = folder === (await realpath(folders.intake))
  return namedFor(isRoot ? undefined : basename(folder), basename(path))
}

/** A path inside the intake folder, as it really is. Throws RequestError for what leads out of it or is not there. */
export async function intakePath(relative: string): Promise<string> {
  const root = await realpath(folders.intake).catch(() => undefined)
  const isText = !relative.includes('\0')
  const found = root && isText ? await realpath(join(root, relative)).catch(() => undefined) : undefined
  if (!root || !found)
    throw new RequestError(404, `${relative || 'The intake folder'} is not there any more.`)
  if (found !== root && !found.startsWith(root + sep))
    throw new RequestError(400, `${relative} does not lie in the intake folder.`)
  return found
}

const uploadId = /^[0-9a-f]{32}$/
const contentHash = /^[0-9a-f]{64}$/

/** Where a whole upload lies. Throws RequestError while it is not whole. */
async function wholeUpload(id: string): Promise<string> {
  if (!uploadId.test(id)) throw new RequestError(400, 'An upload is named by 32 hexadecimal digits.')
  const store = new FileStore({ directory: folders.uploads })
  const upload = await store.getUpload(id).catch(() => undefined)
  if (!upload) throw new RequestError(404, 'This upload is not there any more. Send the file again.')
  if (upload.size === undefined || upload.offset !== upload.size)
    throw new RequestError(
      409,
      `The upload has ${upload.offset} of ${upload.size ?? 0} bytes. Send the rest first.`,
    )
  return join(folders.uploads, id)
}

async function dropUpload(id: string): Promise<void> {
  await rm(join(folders.uploads, `${id}.json`), { force: true })
  await rm(join(folders.uploads, id), { force: true })
}

/** Streams a body to a file, and gives up when it is too long. Throws RequestError. */
async function receive(request: Request, path: string): Promise<void> {
  const tooLong = new RequestError(
    413,
    `Files of more than ${mostInOneGo / 1e6} MB are sent by the tus protocol at /api/uploads.`,
  )
  if (Number(request.headers.get('content-length') ?? 0) > mostInOneGo) throw tooLong
  let length = 0
  const counting = new Transform({
    transform(part: Buffer, _, done) {
      length += part.length
      done(length > mostInOneGo ? tooLong : null, part)
    },
  })
  await pipeline(Readable.fromWeb(request.body as never), counting, createWriteStream(path))
}

function headerText(request: Request, name: string): string {
  try {
    return decodeURIComponent(request.headers.get(name) ?? '')
  } catch {
    throw new RequestError(400, `The header ${name} holds a % that begins no character; write it as %25.`)
  }
}

/** When a file was changed last, as its sender says; undefined for what no calendar holds. */
function modifiedOf(request: Request): number | undefined {
  const text = request.headers.get('x-file-modified')
  const modified = text === null ? NaN : Number(text)
  return Number.isFinite(modified) && Math.abs(modified) <= 8.64e15 ? modified : undefined
}

/**
 * Gives a request's file to some work: its body, a whole upload (x-upload), or a file of the intake folder (JSON { intake: path }). The
 * hash that the sender gives (x-content-hash, SHA-256) is checked first. What was uploaded is removed afterwards, unless it can not be
 * taken for now. Throws RequestError, and what the work throws.
 */
export async function withIncoming<T>(request: Request, work: (file: Incoming) => Promise<T>): Promise<T> {
  if (request.headers.get('content-type')?.startsWith('application/json')) {
    const { intake } = await readBody(request, intakeBody)
    const path = await intakePath(intake)
    const info = await stat(path)
    if (!info.isFile())
      throw new RequestError(
        400,
        `${intake} is ${info.isDirectory() ? 'a folder' : 'no ordinary file'}. Choose a file.`,
      )
    return work({ path, fileName: await nameInFolder(path), modifiedMs: info.mtimeMs, isInPlace: true })
  }
  const given = headerText(request, 'x-file-name').split(/[\\/]/).at(-1)?.trim()
  const fileName = given && namedFor(undefined, given)
  const modifiedMs = modifiedOf(request)
  const id = request.headers.get('x-upload')
  if ((!request.body && id === null) || !fileName)
    throw new RequestError(400, 'The request holds no file, or does not say its name (x-file-name).')
  const hash = v.safeParse(
    v.nullable(v.pipe(v.string(), v.regex(contentHash))),
    request.headers.get('x-content-hash'),
  )
  if (!hash.success)
    throw new RequestError(400, 'The header x-content-hash wants a SHA-256 in 64 hexadecimal digits.')
  if (id !== null && hash.output === null)
    throw new RequestError(400, 'An upload is taken with its SHA-256 in the header x-content-hash.')
  await mkdir(folders.uploads, { recursive: true })
  const path = id === null ? partName(join(folders.uploads, 'file')) : await wholeUpload(id)
  let isDone = id === null
  try {
    if (id === null) await receive(request, path)
    if (hash.output !== null && (await hashFile(path)) !== hash.output) {
      isDone = true
      throw new RequestError(422, `${fileName} did not arrive as it was sent. Send it again.`)
    }
    const result = await work({ path, fileName, modifiedMs, isInPlace: false })
    isDone = true
    return result
  } catch (error) {
    // A file that can not be read will not be better for being sent again.
    isDone ||= error instanceof IntakeError || error instanceof NoSuchShot
    throw error
  } finally {
    if (isDone) await (id === null ? rm(path, { force: true }) : dropUpload(id))
  }
}

import { createReadStream, createWriteStream } from 'node:fs'
import { mkdir, rename, stat } from 'node:fs/promises'
import type { IncomingMessage, ServerResponse } from 'node:http'
import { join } from 'node:path'
import { pipeline } from 'node:stream/promises'
import * as v from 'valibot'
import { DatabaseBusy, DatabaseUnreachable, nameFailure } from '../db/pool.ts'
import { hashing } from '../media/hashing.ts'
import { storedPath } from '../media/store.ts'
import { partName, syncFile } from '../whole-file.ts'
import { buildId, otherBuild } from './build.ts'
import { loggerOf } from '../log.ts'
import { LocalDispatch, stagingOf } from './dispatch.ts'
import {
  arriveBody,
  failBody,
  farmPath,
  finishBody,
  plainName,
  postponeBody,
  reportBody,
  takeBody,
} from './messages.ts'
import { FrameQueue, QueueUnreachable } from './queue.ts'

/** A request that can not be served, in words. */
class Refused extends Error {
  constructor(
    readonly status: number,
    message: string,
  ) {
    super(message)
  }
}

let made: LocalDispatch | undefined
let queue: FrameQueue | undefined
/** The queue as this process uses it. Throws QueueUnreachable where there is none. */
export const frameQueue = (): FrameQueue => (queue ??= new FrameQueue())
const dispatch = () => (made ??= new LocalDispatch(frameQueue()))

const mostBody = 1e6

async function readJson(request: IncomingMessage): Promise<unknown> {
  const parts: Buffer[] = []
  let bytes = 0
  for await (const part of request) {
    const data = part as Buffer
    bytes += data.length
    if (bytes > mostBody) throw new Refused(413, 'This is more than a worker has to say.')
    parts.push(data)
  }
  try {
    return JSON.parse(Buffer.concat(parts).toString('utf8'))
  } catch {
    throw new Refused(400, 'The request is no JSON.')
  }
}

async function body<S extends v.GenericSchema>(
  request: IncomingMessage,
  schema: S,
): Promise<v.InferOutput<S>> {
  const read = v.safeParse(schema, await readJson(request))
  if (read.success) return read.output
  const [issue] = read.issues
  throw new Refused(400, `${v.getDotPath(issue) ?? 'The request'} ${issue.message}`)
}

const json = (response: ServerResponse, status: number, value: unknown) => {
  response.writeHead(status, { 'content-type': 'application/json', 'cache-control': 'no-store' })
  response.end(JSON.stringify(value))
}

/** A stored file by its hash, whole; the one who gets it checks it. */
async function sendBlob(response: ServerResponse, hash: string): Promise<void> {
  if (!/^[0-9a-f]{64}$/.test(hash)) throw new Refused(400, `${hash} is no content hash.`)
  const path = storedPath(hash)
  const found = await stat(path).catch(() => undefined)
  if (!found)
    throw new Refused(404, 'The stored file is missing on the server. Bring the same file in again.')
  response.writeHead(200, { 'content-type': 'application/octet-stream', 'content-length': found.size })
  await pipeline(createReadStream(path), response)
}

/** Takes a file of a frame: whole and as its hash says, or not at all. */
async function takeFile(request: IncomingMessage, token: string, name: string): Promise<void> {
  if (!/^[\w-]{24}$/.test(token) || !v.is(plainName, name))
    throw new Refused(400, 'This is no file of a frame.')
  const wanted = request.headers['x-sha256']
  if (typeof wanted !== 'string' || !/^[0-9a-f]{64}$/.test(wanted))
    throw new Refused(400, 'The header x-sha256 is missing.')
  const folder = stagingOf(token)
  await mkdir(folder, { recursive: true })
  const path = join(folder, name)
  const part = partName(path)
  const { through, digest } = hashing()
  await pipeline(request, through, createWriteStream(part))
  if (digest() !== wanted) throw new Refused(422, 'The file did not arrive as it was sent. Send it again.')
  await syncFile(part)
  await rename(part, path)
}

/** Answers a worker. Whoever gets here has been let in. */
export async function serveFarm(request: IncomingMessage, response: ServerResponse): Promise<void> {
  try {
    await answerWorker(request, response)
  } catch (given) {
    const error = nameFailure(given)
    if (response.headersSent || request.socket.destroyed) {
      response.destroy()
      return
    }
    const message = error instanceof Error ? error.message : String(error)
    if (error instanceof Refused) json(response, error.status, { error: { message } })
    else if (
      error instanceof QueueUnreachable ||
      error instanceof DatabaseUnreachable ||
      error instanceof DatabaseBusy
    )
      json(response, 503, { error: { message } })
    else if (error instanceof Error && 'code' in error && error.code === 'ENOSPC')
      json(response, 507, {
        error: { message: 'The disk of the server is full. Make room there, and it goes on by itself.' },
      })
    else {
      loggerOf('farm').error(error)
      json(response, 500, {
        error: {
          message:
            'Something went wrong on the server; its output and the folder of its notes (log) say more.',
        },
      })
    }
  }
}

function sameBuild(build: string): void {
  if (build !== buildId()) throw new Refused(409, otherBuild(build, buildId()))
}

async function answerWorker(request: IncomingMessage, response: ServerResponse): Promise<void> {
  const { pathname } = new URL(request.url ?? '/', 'http://farm')
  const [what = '', ...rest] = pathname
    .slice(farmPath.length + 1)
    .split('/')
    .map(decodeURIComponent)
  switch (`${request.method ?? ''} ${what}`) {
    case 'POST arrive': {
      const { worker } = await body(request, arriveBody)
      sameBuild(worker.build)
      await dispatch().arrive(worker)
      json(response, 200, {})
      return
    }
    case 'POST take': {
      const { worker, most } = await body(request, takeBody)
      sameBuild(worker.build)
      json(response, 200, { frames: await dispatch().take(worker, most) })
      return
    }
    case 'POST report': {
      json(response, 200, { tokens: await dispatch().report((await body(request, reportBody)).frames) })
      return
    }
    case 'POST finish': {
      const { files, ...rest } = await body(request, finishBody)
      for (const name of files)
        if (!(await stat(join(stagingOf(rest.handed.token), name)).catch(() => undefined)))
          throw new Refused(422, `${name} has not arrived. Send it, then say that the frame is done.`)
      json(response, 200, { isTaken: await dispatch().finish({ ...rest, files }) })
      return
    }
    case 'POST fail': {
      const { handed, problem } = await body(request, failBody)
      await dispatch().fail(handed, problem)
      json(response, 200, {})
      return
    }
    case 'POST postpone': {
      const { handed, problem } = await body(request, postponeBody)
      await dispatch().postpone(handed, problem)
      json(response, 200, {})
      return
    }
    case 'GET plans': {
      const plan = await dispatch().plan(rest[0] ?? '')
      if (!plan) throw new Refused(404, 'There is no such render.')
      json(response, 200, plan)
      return
    }
    case 'GET blobs':
      await sendBlob(response, rest[0] ?? '')
      return
    case 'PUT files':
      await takeFile(request, rest[0] ?? '', rest[1] ?? '')
      json(response, 200, {})
      return
    default:
      throw new Refused(404, 'There is nothing of that name for workers.')
  }
}

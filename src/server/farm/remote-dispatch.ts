import { createReadStream, createWriteStream } from 'node:fs'
import { mkdir, rename, rm } from 'node:fs/promises'
import { dirname, join } from 'node:path'
import { Readable } from 'node:stream'
import { pipeline } from 'node:stream/promises'
import { setTimeout as sleep } from 'node:timers/promises'
import * as v from 'valibot'
import { readingsAnswer } from '../../contracts/answers.ts'
import type { ReadingStore } from '../../core/engine/readings.ts'
import type { Handed, RenderPlan, WorkerState } from '../db/farm.ts'
import { hashing } from '../media/hashing.ts'
import { loggerOf } from '../log.ts'
import { exists, hashFile, storedPath } from '../media/store.ts'
import { partName } from '../whole-file.ts'
import { stagingOf, type Dispatch, type HeldFrame, type WorkDone } from './dispatch.ts'
import { farmPath, finishAnswer, planAnswer, refusalAnswer, reportAnswer, takeAnswer } from './messages.ts'

/** The server refuses this worker for good: its key or its build. */
export class TurnedAway extends Error {
  override name = 'TurnedAway'
}

/** The server can not be reached, or can not do it now; it may be tried again. */
export class ServerAway extends Error {
  override name = 'ServerAway'
}

/** A server of frames, as a worker on another machine is told of it. */
export interface ServerAt {
  /** 'http://10.0.0.1:4310'. */
  readonly address: string
  /** Undefined where none is needed. */
  readonly key: string | undefined
}

/** An answer that takes longer is not waited for. */
const patienceMs = 20_000
/** How long results are tried to be brought to a server that does not answer. */
const stubbornMs = 30 * 60_000

async function askServer(
  server: ServerAt,
  method: string,
  path: string,
  {
    body,
    headers = {},
    isPatient = false,
  }: { body?: BodyInit; headers?: Record<string, string>; isPatient?: boolean } = {},
): Promise<Response> {
  let answer
  try {
    answer = await fetch(`${server.address}${path}`, {
      method,
      headers: { ...headers, ...(server.key === undefined ? {} : { authorization: `Bearer ${server.key}` }) },
      ...(body === undefined ? {} : { body, duplex: 'half' }),
      ...(isPatient ? {} : { signal: AbortSignal.timeout(patienceMs) }),
    })
  } catch (error) {
    const cause = error instanceof Error && error.cause instanceof Error ? error.cause.message : ''
    throw new ServerAway(`${server.address} does not answer${cause ? ` (${cause})` : ''}.`)
  }
  if (answer.ok) return answer
  const told = v.safeParse(refusalAnswer, await answer.json().catch(() => undefined))
  const message = told.success ? told.output.error.message : `${server.address} answered ${answer.status}.`
  if (answer.status === 401)
    throw new TurnedAway('The key is not valid, or was withdrawn. Make one with: npx zafiro key new')
  if (answer.status === 409 || answer.status === 421) throw new TurnedAway(message)
  if (answer.status >= 500 || answer.status === 429) throw new ServerAway(message)
  throw new Error(message)
}

/** Does work again while the server is away, for a long time. */
async function stubbornly<T>(work: () => Promise<T>): Promise<T> {
  const began = performance.now()
  for (let delay = 250; ; delay = Math.min(5000, delay * 2)) {
    try {
      return await work()
    } catch (error) {
      if (!(error instanceof ServerAway) || performance.now() - began > stubbornMs) throw error
      await sleep(delay)
    }
  }
}

/** Frames of an installation on another machine, over HTTP. */
export class RemoteDispatch implements Dispatch {
  constructor(private readonly server: ServerAt) {}

  private async post<S extends v.GenericSchema>(
    what: string,
    value: unknown,
    schema: S,
  ): Promise<v.InferOutput<S>> {
    const answer = await askServer(this.server, 'POST', `${farmPath}/${what}`, {
      body: JSON.stringify(value),
      headers: { 'content-type': 'application/json' },
    })
    return v.parse(schema, await answer.json())
  }

  async arrive(worker: WorkerState): Promise<void> {
    await this.post('arrive', { worker }, v.unknown())
  }

  async take(worker: WorkerState, most: number): Promise<readonly Handed[]> {
    return (await this.post('take', { worker, most }, takeAnswer)).frames
  }

  async plan(renderId: string): Promise<RenderPlan | undefined> {
    const answer = await askServer(
      this.server,
      'GET',
      `${farmPath}/plans/${encodeURIComponent(renderId)}`,
    ).catch((error: unknown) => {
      if (error instanceof ServerAway || error instanceof TurnedAway) throw error
      return undefined
    })
    return answer && v.parse(planAnswer, await answer.json())
  }

  async report(frames: readonly HeldFrame[]): Promise<readonly string[]> {
    return (await this.post('report', { frames }, reportAnswer)).tokens
  }

  folderOf({ token }: Handed): string {
    return stagingOf(token)
  }

  async finish({ handed, ...result }: WorkDone): Promise<boolean> {
    const folder = stagingOf(handed.token)
    try {
      for (const name of result.files)
        await stubbornly(async () => {
          const path = join(folder, name)
          const hash = await hashFile(path)
          await askServer(
            this.server,
            'PUT',
            `${farmPath}/files/${handed.token}/${encodeURIComponent(name)}`,
            {
              body: Readable.toWeb(createReadStream(path)) as unknown as BodyInit,
              headers: { 'x-sha256': hash, 'content-type': 'application/octet-stream' },
              isPatient: true,
            },
          )
        })
      return await stubbornly(
        async () => (await this.post('finish', { handed, ...result }, finishAnswer)).isTaken,
      )
    } finally {
      await rm(folder, { recursive: true, force: true })
    }
  }

  async fail(handed: Handed, problem: string): Promise<void> {
    await stubbornly(() => this.post('fail', { handed, problem }, v.unknown()))
    await rm(stagingOf(handed.token), { recursive: true, force: true })
  }

  async postpone(handed: Handed, problem: string | null): Promise<void> {
    await stubbornly(() => this.post('postpone', { handed, problem }, v.unknown()))
    await rm(stagingOf(handed.token), { recursive: true, force: true })
  }
}

const coming = new Map<string, Promise<void>>()

/** Sees that a media file lies in this machine's store; what arrives is held against its hash. Throws ServerAway. */
export function fetchBlob(server: ServerAt, hash: string): Promise<void> {
  const work = coming.get(hash) ?? fetchOnce(server, hash)
  coming.set(hash, work)
  return work.finally(() => coming.delete(hash))
}

async function fetchOnce(server: ServerAt, hash: string): Promise<void> {
  const path = storedPath(hash)
  if (await exists(path)) return
  const answer = await askServer(server, 'GET', `${farmPath}/blobs/${hash}`, { isPatient: true })
  await mkdir(dirname(path), { recursive: true })
  const part = partName(path)
  const { through, digest } = hashing()
  try {
    await pipeline(Readable.fromWeb(answer.body as never), through, createWriteStream(part)).catch(
      (error: unknown) => {
        if (error instanceof Error && 'code' in error && error.code === 'ENOSPC') throw error
        throw new ServerAway('A media file broke off on its way.')
      },
    )
    if (digest() !== hash) throw new ServerAway('A media file did not arrive as it is on the server.')
    await rename(part, path)
  } finally {
    await rm(part, { force: true })
  }
}

/** Readings that are kept by the server. One that can not be reached costs time, not the picture. */
export function remoteReadings(server: ServerAt): ReadingStore {
  const ask = async (method: 'POST' | 'PUT', value: unknown) => {
    const headers = { 'content-type': 'application/json' }
    const answer = await askServer(server, method, '/api/readings', { body: JSON.stringify(value), headers })
    return v.parse(readingsAnswer, await answer.json()).readings
  }
  return {
    async fetch(keys) {
      try {
        return new Map(Object.entries(await ask('POST', { keys })))
      } catch {
        return new Map()
      }
    },
    async keep(readings) {
      try {
        await ask('PUT', { readings: Object.fromEntries(readings) })
      } catch (error) {
        loggerOf('readings').warn(error, 'they could not be kept')
      }
    },
  }
}

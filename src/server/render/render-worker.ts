// The render worker: a process of its own that takes frames from the database and renders them.
import { randomBytes } from 'node:crypto'
import { join } from 'node:path'
import { setTimeout as sleep } from 'node:timers/promises'
import { Worker } from 'node:worker_threads'
import type { PoolConnection } from 'mysql2/promise'
import {
  beginWorker,
  claimFrame,
  failFrame,
  finishFrame,
  postponeFrame,
  reportProgress,
  returnFrames,
  type RenderJob,
} from '../db/renders.ts'
import { getPool } from '../db/pool.ts'
import { folders } from '../home.ts'
import type { RenderMessage } from './render-thread.ts'

const name = `${process.pid}-${randomBytes(3).toString('hex')}`
const idleMs = 300
/** Pause after a full disk was met. */
const fullMs = 3000
const signOfLifeMs = 4000

let thread: Worker | undefined
/** The connection whose lock says that this worker lives. */
let life: PoolConnection | undefined

/** Makes sure that the database knows this worker as alive; after it was away, anew. */
async function keepAlive(): Promise<void> {
  if (life) return
  const connection = await getPool().getConnection()
  connection.on('error', () => {
    if (life === connection) life = undefined
    connection.destroy()
  })
  if (await beginWorker(connection, name)) life = connection
  else connection.release()
}

function renderThread(): Worker {
  thread ??= new Worker(new URL('./render-thread.mjs', import.meta.url))
  return thread
}

/** Sends one job through the thread; a thread that dies or is no longer wanted is replaced by the next job. */
async function work(job: RenderJob): Promise<void> {
  const pool = getPool()
  const worker = renderThread()
  let progress = 0
  const outcome = await new Promise<RenderMessage | 'lost'>((resolve) => {
    const report = () => {
      keepAlive().catch(() => undefined)
      reportProgress(pool, job, name, progress).then(
        (isOurs) => {
          if (!isOurs) finish('lost')
        },
        () => undefined,
      )
    }
    const timer = setInterval(report, signOfLifeMs)
    const onMessage = (message: RenderMessage) => {
      if (message.type !== 'progress') finish(message)
      else {
        progress = message.progress
        report()
      }
    }
    const onError = (error: Error) => {
      thread = undefined
      finish({ type: 'failed', problem: `Rendering stopped: ${error.message}` })
    }
    const finish = (result: RenderMessage | 'lost') => {
      clearInterval(timer)
      worker.off('message', onMessage).off('error', onError)
      resolve(result)
    }
    worker.on('message', onMessage).on('error', onError)
    worker.postMessage({ job, folder: join(folders.renders, job.renderId) })
  })
  if (stopping.isAsked) return
  if (outcome === 'lost') {
    thread = undefined
    await worker.terminate()
  } else if (outcome.type === 'done')
    await finishFrame(pool, job, name, outcome.files, outcome.warnings, outcome.key)
  else if (outcome.type === 'failed' && outcome.isFull) {
    await postponeFrame(pool, job, name, outcome.problem)
    await sleep(fullMs)
  } else if (outcome.type === 'failed') await failFrame(pool, job, name, outcome.problem)
}

const stopping = { isAsked: false }
for (const signal of ['SIGINT', 'SIGTERM'] as const)
  process.on(signal, () => {
    if (stopping.isAsked) return
    stopping.isAsked = true
    setTimeout(() => process.exit(0), 3000).unref()
    // An ordinary stop is nobody's fault: the frame waits for the next start.
    void Promise.resolve(thread?.terminate())
      .then(() => returnFrames(getPool(), name))
      .catch(() => undefined)
      .then(() => process.exit(0))
  })

let saidUnreachable = false
while (!stopping.isAsked) {
  try {
    await keepAlive()
    const job = await claimFrame(getPool(), name)
    saidUnreachable = false
    if (job) await work(job)
    else await sleep(idleMs)
  } catch (error) {
    if (!saidUnreachable) console.error('render worker:', error instanceof Error ? error.message : error)
    saidUnreachable = true
    await sleep(1000)
  }
}
process.exit(0)

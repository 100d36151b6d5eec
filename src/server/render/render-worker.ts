// The render worker: a process of its own that renders frames of this installation, or of one on another machine.
//   node dist/render-worker.mjs, settings by environment:
//   ZAFIRO_SERVER and ZAFIRO_KEY: whom it works for, where that is not this installation; ZAFIRO_HOME is its cache then
//   ZAFIRO_JOBS: frames at once     ZAFIRO_CACHE_GB: how much media of others it keeps
import { randomBytes } from 'node:crypto'
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs'
import { availableParallelism, hostname, loadavg } from 'node:os'
import { join } from 'node:path'
import { setTimeout as sleep } from 'node:timers/promises'
import { Worker } from 'node:worker_threads'
import type { Handed, RenderPlan, WorkerState } from '../db/farm.ts'
import { buildId } from '../farm/build.ts'
import { LocalDispatch, type Dispatch } from '../farm/dispatch.ts'
import { FrameQueue } from '../farm/queue.ts'
import { RemoteDispatch, TurnedAway, type ServerAt } from '../farm/remote-dispatch.ts'
import { folders, home } from '../home.ts'
import { loggerOf, told } from '../log.ts'
import { trimDerived } from '../media/trim-derived.ts'
import { mostPlans, type RenderMessage, type RenderOrder, type RenderThreadData } from './render-plans.ts'

const log = loggerOf('render worker')
const idleMs = 300
/** Pause after something was full or away. */
const laterMs = 3000
/** Frames that are asked for at once take about so long together. */
const portionMs = 1500
const mostAhead = 16

const { ZAFIRO_SERVER: address, ZAFIRO_KEY: key, ZAFIRO_JOBS, ZAFIRO_CACHE_GB = '50' } = process.env
const server: ServerAt | undefined = address === undefined ? undefined : { address, key }
const signOfLifeMs = server ? 4000 : 1000
const cores = availableParallelism()
const jobs = Math.max(1, Number(ZAFIRO_JOBS ?? 1))
const cacheBytes = Number(ZAFIRO_CACHE_GB) * 2 ** 30

/** The name of this place, the same after a new start. */
function seatOf(): string {
  if (!server) return 'here'
  const file = join(home, 'seat')
  try {
    return readFileSync(file, 'utf8')
  } catch {
    mkdirSync(home, { recursive: true })
    const seat = randomBytes(9).toString('hex')
    writeFileSync(file, seat)
    return seat
  }
}

const seat = seatOf()
const build = buildId()
const state = (): WorkerState => ({
  seat,
  machine: hostname() || 'a machine without a name',
  cores,
  build,
  busy: Math.min(1, loadavg()[0]! / cores),
})
const dispatch: Dispatch = server ? new RemoteDispatch(server) : new LocalDispatch(new FrameQueue())

interface Held {
  readonly handed: Handed
  progress: number
  /** Called when nobody wants it any more. */
  drop: () => void
  isDropped: boolean
}

/** All that this worker has, by token. */
const held = new Map<string, Held>()
/** What waits for a free thread. */
const ahead: Held[] = []
const plans = new Map<string, RenderPlan>()
const stopping = { isAsked: false }
/** Milliseconds of the last frames. */
let pace: number | undefined

let saidAway = false
/** Says once that something does not go, until it goes again. */
function sayAway(error: unknown): void {
  if (!saidAway) log.error(told(error), error instanceof Error ? error.message : String(error))
  saidAway = true
}

function leaveFor(error: TurnedAway): never {
  console.error(`zafiro: ${error.message}`)
  process.exit(3)
}

/** Says how far all is, and drops what is not wanted any more. */
async function signOfLife(): Promise<void> {
  const told = [...held.values()]
  if (told.length === 0) return
  try {
    const ours = await dispatch.report(told.map(({ handed, progress }) => ({ handed, progress })))
    for (const one of told)
      if (!ours.includes(one.handed.token) && held.has(one.handed.token)) {
        one.isDropped = true
        one.drop()
      }
  } catch (error) {
    if (error instanceof TurnedAway) leaveFor(error)
    // What is worked on is brought when the server is back.
    sayAway(error)
  }
}

const planKey = ({ renderId, mark }: Handed) => `${renderId} ${mark}`

async function planOf(handed: Handed): Promise<RenderPlan | undefined> {
  const key = planKey(handed)
  const known = plans.get(key) ?? (await dispatch.plan(handed.renderId))
  if (known) plans.set(key, known)
  for (const old of [...plans.keys()].slice(0, -16)) plans.delete(old)
  return known
}

let taking: Promise<void> | undefined
async function takeMore(): Promise<void> {
  const most = Math.max(1, Math.min(mostAhead, Math.floor(portionMs / (pace ?? Infinity))))
  for (const handed of await dispatch.take(state(), most * jobs)) {
    const one: Held = { handed, progress: 0, drop: () => undefined, isDropped: false }
    held.set(handed.token, one)
    ahead.push(one)
  }
  saidAway = false
}

/** The next frame, as soon as there is one; undefined when it is time to stop. */
async function nextFrame(): Promise<Held | undefined> {
  while (!stopping.isAsked) {
    const next = ahead.shift()
    if (next?.isDropped) held.delete(next.handed.token)
    else if (next) return next
    else
      try {
        taking ??= takeMore().finally(() => (taking = undefined))
        await taking
        if (ahead.length === 0) await sleep(server ? idleMs * 2 : idleMs)
      } catch (error) {
        if (error instanceof TurnedAway) leaveFor(error)
        sayAway(error)
        await sleep(1000)
      }
  }
  return undefined
}

/** A thread that renders one frame after the other; one that dies is replaced. */
class Slot {
  private thread: Worker | undefined
  private known = new Set<string>()
  /** The last frame's files, on their way. */
  private bringing: Promise<void> = Promise.resolve()

  private started(): Worker {
    if (!this.thread) {
      const workerData: RenderThreadData = { server, threads: Math.max(1, Math.floor(cores / jobs)) }
      this.thread = new Worker(new URL('./render-thread.mjs', import.meta.url), { workerData })
      this.known = new Set()
    }
    return this.thread
  }

  async end(): Promise<void> {
    await this.thread?.terminate()
  }

  async run(): Promise<void> {
    for (let next = await nextFrame(); next; next = await nextFrame()) {
      try {
        await this.work(next)
      } catch (error) {
        if (error instanceof TurnedAway) leaveFor(error)
        held.delete(next.handed.token)
        sayAway(error)
        await sleep(1000)
      }
    }
    await this.bringing
  }

  private async work(one: Held): Promise<void> {
    const { handed } = one
    const plan = await planOf(handed)
    if (!plan || one.isDropped) {
      held.delete(handed.token)
      return
    }
    const outcome = await this.render(one, plan)
    if (stopping.isAsked) return
    // Files of one frame are brought while the next is rendered; more than one is not kept.
    await this.bringing
    if (outcome === 'dropped') {
      held.delete(handed.token)
      this.thread = undefined
      return
    }
    if (outcome.type === 'done') pace = pace === undefined ? outcome.ms : pace * 0.7 + outcome.ms * 0.3
    this.bringing = this.bring(handed, outcome)
    if (outcome.type === 'failed' && outcome.isForNow) {
      await this.bringing
      await sleep(laterMs)
    }
  }

  private async bring(handed: Handed, outcome: RenderMessage): Promise<void> {
    try {
      if (outcome.type === 'done') {
        const { files, warnings, key: pictureKey, ms } = outcome
        log.info({ render: handed.renderId, frame: handed.frame, ms }, 'a frame is made')
        await dispatch.finish({ handed, files, warnings, pictureKey, ms })
      } else if (outcome.type === 'failed') {
        log.warn({ render: handed.renderId, frame: handed.frame }, outcome.problem)
        if (outcome.isForNow) await dispatch.postpone(handed, outcome.problem)
        else await dispatch.fail(handed, outcome.problem)
      }
      saidAway = false
    } catch (error) {
      if (error instanceof TurnedAway) leaveFor(error)
      // It is handed to someone again when nobody has heard of it for a while.
      sayAway(error)
    }
    held.delete(handed.token)
  }

  private render(one: Held, plan: RenderPlan): Promise<RenderMessage | 'dropped'> {
    const thread = this.started()
    return new Promise((resolve) => {
      const end = (result: RenderMessage | 'dropped') => {
        one.drop = () => undefined
        thread.off('message', onMessage).off('error', onError)
        resolve(result)
      }
      const onMessage = (message: RenderMessage) => {
        if (message.type === 'progress') one.progress = message.progress
        else end(message)
      }
      const onError = (error: Error) => {
        this.thread = undefined
        end({ type: 'failed', problem: `Rendering stopped: ${error.message}` })
      }
      thread.on('message', onMessage).on('error', onError)
      one.drop = () => {
        void thread.terminate()
        end('dropped')
      }
      const planned = planKey(one.handed)
      // The thread keeps as many, in the same order.
      const isKnown = this.known.delete(planned)
      this.known.add(planned)
      for (const old of [...this.known].slice(0, -mostPlans)) this.known.delete(old)
      const order: RenderOrder = {
        key: planned,
        frame: one.handed.frame,
        next: ahead.find((a) => planKey(a.handed) === planned)?.handed.frame,
        folder: dispatch.folderOf(one.handed),
        ...(isKnown ? {} : { plan }),
      }
      thread.postMessage(order)
    })
  }
}

const slots = Array.from({ length: jobs }, () => new Slot())

for (const signal of ['SIGINT', 'SIGTERM'] as const)
  process.on(signal, () => {
    if (stopping.isAsked) return
    stopping.isAsked = true
    setTimeout(() => process.exit(0), 3000).unref()
    // An ordinary stop is nobody's fault: the frames wait for the next start.
    void Promise.all(slots.map((slot) => slot.end()))
      .then(() => Promise.all([...held.values()].map(({ handed }) => dispatch.postpone(handed, null))))
      .catch(() => undefined)
      .then(() => process.exit(0))
  })

async function arrive(): Promise<void> {
  while (!stopping.isAsked)
    try {
      await dispatch.arrive(state())
      saidAway = false
      if (server)
        console.log(
          `Working for ${server.address} with ${cores} cores; media is kept in ${home}. Ctrl-C stops it.`,
        )
      return
    } catch (error) {
      if (error instanceof TurnedAway) leaveFor(error)
      sayAway(error)
      await sleep(1000)
    }
}

await arrive()
setInterval(() => void signOfLife(), signOfLifeMs).unref()
if (server) setInterval(() => void trimDerived(folders.store, cacheBytes), 60_000).unref()
await Promise.all(slots.map((slot) => slot.run()))
process.exit(0)

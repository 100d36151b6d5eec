// The stand-in renderer: makes the frames of the demo shot as an outside renderer would deliver them.
//   node dist/stand-in.mjs --frames 1-1 --size 960x540 --out FOLDER [--beside FILE]
// With --beside it works in the background: with what the processors have left, or, where the system knows no such thing, at the lowest
// priority and resting while FILE is being touched.
import { spawnSync } from 'node:child_process'
import { once } from 'node:events'
import { existsSync, mkdirSync, renameSync, statSync, writeFileSync } from 'node:fs'
import { availableParallelism, setPriority } from 'node:os'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { parseArgs } from 'node:util'
import { isMainThread, parentPort, Worker } from 'node:worker_threads'
import sharp from 'sharp'
import { nodeZlib } from '../src/server/media/node-zlib.ts'
import { drawings } from './drawings.ts'
import { encodeFrame } from './exr-frame.ts'
import { emptyRows, renderRows, type FrameRows } from './frame.ts'
import { createTracer, type Tracer } from './tracer.ts'

interface Job {
  readonly frame: number
  readonly width: number
  readonly height: number
  /** A file that is touched whenever someone works; undefined when nobody is to be waited for. */
  readonly signOfWork: string | undefined
  /** Where the whole frame goes; undefined when threads share a frame. */
  readonly path?: string
  /** A frame that threads share: its pictures, and the row that is next. */
  readonly shared?: { readonly rows: FrameRows; readonly next: Int32Array }
}
/** Rows that a thread takes at once of a shared frame. Those above and below are traced for them, too. */
const rowsAtOnce = 24
/** How long after someone's last change a gentle renderer rests: as long as a drag may pause. It runs at the lowest priority all the while. */
const restMs = 700

/** Writes beside and renames, so that whoever watches the folder never meets half a file. */
function deliver(path: string, bytes: Uint8Array): void {
  writeFileSync(`${path}.part`, bytes)
  renameSync(`${path}.part`, path)
}

/** When someone's last change was seen, by a clock that is never set; and the file's own time then. */
const seen = { touched: undefined as number | undefined, at: -Infinity }

/** Waits as long as someone works on this machine. */
function waitForRest(signOfWork: string): void {
  const nothing = new Int32Array(new SharedArrayBuffer(4))
  for (;;) {
    const touched = statSync(signOfWork, { throwIfNoEntry: false })?.mtimeMs
    if (touched !== seen.touched) {
      // The first look can only go by the clock; afterwards it is the change that counts.
      const age = Date.now() - (touched ?? 0)
      const isRecent = seen.touched !== undefined || (age >= 0 && age < restMs)
      seen.touched = touched
      if (isRecent) seen.at = performance.now()
    }
    if (performance.now() - seen.at > restMs) return
    Atomics.wait(nothing, 0, 0, 100)
  }
}

/** Renders rows of a shared frame until none is left, or a whole frame. */
function work({ frame, width, height, signOfWork, path, shared }: Job, tracer: Tracer): void {
  const beforeRow = () => {
    if (signOfWork) waitForRest(signOfWork)
  }
  if (!shared) {
    const rows = emptyRows(width * height)
    renderRows(rows, frame, width, height, 0, height, beforeRow, tracer)
    deliver(path!, encodeFrame(rows, width, height, nodeZlib))
    return
  }
  for (;;) {
    const y = Atomics.add(shared.next, 0, rowsAtOnce)
    if (y >= height) return
    renderRows(shared.rows, frame, width, height, y, Math.min(height, y + rowsAtOnce), beforeRow, tracer)
  }
}

type FrameJob = Job & { readonly path: string }

/** Renders frames with all processors: a frame on each, or one on all where there are fewer frames than processors. `before` comes before each. */
async function renderAll(jobs: readonly FrameJob[], before: (job: FrameJob) => Promise<void>): Promise<void> {
  const threads = Array.from(
    { length: availableParallelism() },
    () => new Worker(fileURLToPath(import.meta.url)),
  )
  const run = async (thread: Worker, job: Job) => {
    thread.postMessage(job)
    await once(thread, 'message')
  }
  const say = (job: Job, started: number) => {
    console.log(`frame ${job.frame} in ${((performance.now() - started) / 1000).toFixed(1)} s`)
  }
  if (jobs.length < threads.length)
    for (const job of jobs) {
      await before(job)
      const started = performance.now()
      const rows = emptyRows(job.width * job.height)
      const next = new Int32Array(new SharedArrayBuffer(4))
      await Promise.all(threads.map((thread) => run(thread, { ...job, shared: { rows, next } })))
      deliver(job.path, encodeFrame(rows, job.width, job.height, nodeZlib))
      say(job, started)
    }
  else {
    const left = [...jobs]
    await Promise.all(
      threads.map(async (thread) => {
        for (let job = left.shift(); job; job = left.shift()) {
          await before(job)
          const started = performance.now()
          await run(thread, job)
          say(job, started)
        }
      }),
    )
  }
  await Promise.all(threads.map((thread) => thread.terminate()))
}

/** Has this process run only where nobody else wants a processor (sched(7), SCHED_IDLE). Gives back whether the system does so. */
function yieldToAll(): boolean {
  setPriority(19)
  const { status } = spawnSync('chrt', ['--all-tasks', '--idle', '--pid', '0', String(process.pid)])
  return status === 0
}

async function main(): Promise<void> {
  const { values } = parseArgs({
    options: {
      frames: { type: 'string', default: '1-1' },
      size: { type: 'string', default: '960x540' },
      out: { type: 'string', default: '.' },
      beside: { type: 'string' },
    },
  })
  const [first = 1, last = first] = values.frames.split('-').map(Number)
  const [width = 960, height = 540] = values.size.split('x').map(Number)
  mkdirSync(values.out, { recursive: true })
  // Beside people at work: only when nobody else wants the processors; where that is not sure, not at all while they change something.
  const signOfWork = values.beside && !yieldToAll() ? values.beside : undefined
  const numberOf = (frame: number) => String(frame).padStart(4, '0')
  const draw = async (frame: number) => {
    for (const { name, svg } of drawings(frame, width, height)) {
      const path = join(values.out, `${name}.${numberOf(frame)}.png`)
      if (!existsSync(path)) deliver(path, await sharp(Buffer.from(svg)).png().toBuffer())
    }
  }
  const jobs: FrameJob[] = []
  for (let frame = first; frame <= last; frame++) {
    const path = join(values.out, `grotto.${numberOf(frame)}.exr`)
    if (existsSync(path)) await draw(frame)
    else jobs.push({ frame, width, height, signOfWork, path })
  }
  await renderAll(jobs, ({ frame }) => draw(frame))
}

if (isMainThread) await main()
else {
  const tracer = createTracer()
  parentPort!.on('message', (job: Job) => {
    work(job, tracer)
    parentPort!.postMessage('done')
  })
}

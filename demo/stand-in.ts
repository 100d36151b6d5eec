// The stand-in renderer: makes the frames of the demo shot as an outside renderer would deliver them.
//   node dist/stand-in.mjs --frames 1-1 --size 960x540 --out FOLDER [--beside FILE]
// With --beside it works in the background, and rests while FILE is being touched.
import { existsSync, mkdirSync, renameSync, statSync, writeFileSync } from 'node:fs'
import { availableParallelism, setPriority } from 'node:os'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { parseArgs } from 'node:util'
import { isMainThread, parentPort, Worker, workerData } from 'node:worker_threads'
import sharp from 'sharp'
import { nodeZlib } from '../src/server/media/node-zlib.ts'
import { drawings } from './drawings.ts'
import { encodeFrame } from './exr-frame.ts'
import { emptyRows, renderRows, type FrameRows } from './frame.ts'
import { rockCells } from './scene.ts'

interface Job {
  readonly rows: FrameRows
  readonly next: Int32Array
  readonly frame: number
  readonly width: number
  readonly height: number
  /** A file that is touched whenever someone works; undefined when nobody is to be waited for. */
  readonly signOfWork: string | undefined
  /** Of the scene, see rockCells. */
  readonly cells: Float32Array
}
/** The rows above and below a batch are traced for it, too, so batches are not small. */
const rowsAtOnce = 27
/** How long after someone's last change a gentle renderer rests. */
const restMs = 20_000

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
    Atomics.wait(nothing, 0, 0, 1000)
  }
}

function work({ rows, next, frame, width, height, signOfWork, cells }: Job): void {
  const beforeRow = () => {
    if (signOfWork) waitForRest(signOfWork)
  }
  for (;;) {
    const y = Atomics.add(next, 0, rowsAtOnce)
    if (y >= height) return
    renderRows(rows, frame, width, height, y, Math.min(height, y + rowsAtOnce), beforeRow, cells)
  }
}

/** Shared by all frames and threads. */
const cells = rockCells()

async function renderFrame(
  frame: number,
  width: number,
  height: number,
  signOfWork: string | undefined,
): Promise<Uint8Array> {
  const job: Job = {
    rows: emptyRows(width * height),
    next: new Int32Array(new SharedArrayBuffer(4)),
    frame,
    width,
    height,
    signOfWork,
    cells,
  }
  const threads = availableParallelism()
  const helpers = Array.from({ length: threads }, () => {
    const worker = new Worker(fileURLToPath(import.meta.url), { workerData: job })
    return new Promise<void>((resolve, reject) => worker.on('message', resolve).on('error', reject))
  })
  await Promise.all(helpers)
  return encodeFrame(job.rows, width, height, nodeZlib)
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
  // Beside people at work: only when nobody else wants the processors, and not at all while they change something.
  if (values.beside) setPriority(19)
  for (let frame = first; frame <= last; frame++) {
    const number = String(frame).padStart(4, '0')
    for (const { name, svg } of drawings(frame, width, height)) {
      const path = join(values.out, `${name}.${number}.png`)
      if (!existsSync(path)) deliver(path, await sharp(Buffer.from(svg)).png().toBuffer())
    }
    const path = join(values.out, `grotto.${number}.exr`)
    if (existsSync(path)) continue
    const started = performance.now()
    deliver(path, await renderFrame(frame, width, height, values.beside))
    console.log(`frame ${frame} in ${((performance.now() - started) / 1000).toFixed(1)} s`)
  }
}

if (isMainThread) await main()
else {
  work(workerData as Job)
  parentPort!.postMessage('done')
}

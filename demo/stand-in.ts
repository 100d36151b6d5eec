// The stand-in renderer: makes the frames of the demo shot as an outside renderer would deliver them.
//   node dist/stand-in.mjs --frames 1-1 --size 960x540 --out FOLDER
import { existsSync, mkdirSync, renameSync, writeFileSync } from 'node:fs'
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

interface Job {
  readonly rows: FrameRows
  readonly next: Int32Array
  readonly frame: number
  readonly width: number
  readonly height: number
}
const rowsAtOnce = 6

/** Writes beside and renames, so that whoever watches the folder never meets half a file. */
function deliver(path: string, bytes: Uint8Array): void {
  writeFileSync(`${path}.part`, bytes)
  renameSync(`${path}.part`, path)
}

function work({ rows, next, frame, width, height }: Job): void {
  for (;;) {
    const y = Atomics.add(next, 0, rowsAtOnce)
    if (y >= height) return
    renderRows(rows, frame, width, height, y, Math.min(height, y + rowsAtOnce))
  }
}

async function renderFrame(
  frame: number,
  width: number,
  height: number,
  threads: number,
): Promise<Uint8Array> {
  const job: Job = {
    rows: emptyRows(width * height),
    next: new Int32Array(new SharedArrayBuffer(4)),
    frame,
    width,
    height,
  }
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
      gently: { type: 'boolean', default: false },
    },
  })
  const [first = 1, last = first] = values.frames.split('-').map(Number)
  const [width = 960, height = 540] = values.size.split('x').map(Number)
  mkdirSync(values.out, { recursive: true })
  // Someone works on this machine meanwhile: one thread, and only when nobody else wants it.
  if (values.gently) setPriority(19)
  const threads = values.gently ? 1 : availableParallelism()
  for (let frame = first; frame <= last; frame++) {
    const number = String(frame).padStart(4, '0')
    for (const { name, svg } of drawings(frame, width, height)) {
      const path = join(values.out, `${name}.${number}.png`)
      if (!existsSync(path)) deliver(path, await sharp(Buffer.from(svg)).png().toBuffer())
    }
    const path = join(values.out, `grotto.${number}.exr`)
    if (existsSync(path)) continue
    const started = performance.now()
    deliver(path, await renderFrame(frame, width, height, threads))
    console.log(`frame ${frame} in ${((performance.now() - started) / 1000).toFixed(1)} s`)
  }
}

if (isMainThread) await main()
else {
  work(workerData as Job)
  parentPort!.postMessage('done')
}

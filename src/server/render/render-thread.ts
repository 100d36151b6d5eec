import { mkdir } from 'node:fs/promises'
import { join } from 'node:path'
import { parentPort } from 'node:worker_threads'
import { encodePicture, outputName } from '../../core/formats/write-picture.ts'
import type { RenderJob } from '../db/renders.ts'
import { storedReadings } from '../db/readings.ts'
import { loadStoredPass, NodeEngine } from '../engine/node-engine.ts'
import { nodeZlib } from '../media/node-zlib.ts'
import { writeWhole } from '../whole-file.ts'

/** What the thread says while it works on a job. */
export type RenderMessage =
  | { readonly type: 'progress'; readonly progress: number }
  | { readonly type: 'done'; readonly files: readonly string[]; readonly warnings: readonly string[] }
  /** `isFull`: there was no room for it; it can be made later. */
  | { readonly type: 'failed'; readonly problem: string; readonly isFull?: boolean }

/** 'Grotto descent' → 'grotto-descent': safe in a file name anywhere. */
export function fileStem(name: string): string {
  return (
    name
      .normalize('NFKD')
      .replace(/[^\w]+/g, '-')
      .replace(/^-+|-+$/g, '')
      .toLowerCase() || 'shot'
  )
}

const say = (message: RenderMessage) => {
  parentPort?.postMessage(message)
}

async function render(engine: NodeEngine, job: RenderJob, folder: string): Promise<void> {
  say({ type: 'progress', progress: 0.1 })
  const { picture, problems } = await engine.renderFrame(job.comp, job.media, job.frame)
  await mkdir(folder, { recursive: true })
  const files: string[] = []
  const dither = job.comp.dither === false ? undefined : job.frame
  for (const [i, format] of job.formats.entries()) {
    say({ type: 'progress', progress: 0.6 + (0.4 * i) / job.formats.length })
    const name = outputName(fileStem(job.shotName), job.frame, format)
    await writeWhole(
      join(folder, name),
      encodePicture(picture, format, `${job.shotName}, frame ${job.frame}`, engine.kernels, nodeZlib, dither),
    )
    files.push(name)
  }
  say({ type: 'done', files, warnings: [...new Set(problems.map((p) => p.message))] })
}

if (parentPort) {
  const engine = new NodeEngine(loadStoredPass, { readings: storedReadings })
  parentPort.on('message', ({ job, folder }: { job: RenderJob; folder: string }) => {
    render(engine, job, folder).catch((error: unknown) => {
      const isFull =
        error instanceof Error &&
        (('code' in error && error.code === 'ENOSPC') || ('isFull' in error && error.isFull === true))
      const text = isFull
        ? 'The disk is full. Make room, and it goes on by itself.'
        : error instanceof Error
          ? error.message
          : String(error)
      say({ type: 'failed', problem: text, isFull })
    })
  })
}

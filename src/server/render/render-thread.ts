import { mkdir } from 'node:fs/promises'
import { join } from 'node:path'
import { parentPort } from 'node:worker_threads'
import { fileName } from '../../core/formats/write-picture.ts'
import { filledName, usualName } from '../../core/renders/file-name.ts'
import type { RenderJob } from '../db/renders.ts'
import { storedReadings } from '../db/readings.ts'
import { loadStoredPass, NodeEngine } from '../engine/node-engine.ts'
import { writeWhole } from '../whole-file.ts'
import { encodeFile } from './encode-file.ts'

/** What the thread says while it works on a job. */
export type RenderMessage =
  | { readonly type: 'progress'; readonly progress: number }
  | {
      readonly type: 'done'
      readonly files: readonly string[]
      readonly warnings: readonly string[]
      readonly key: string
    }
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
  const { comp, media, frame, options, version } = job
  const { picture, key, problems } = await engine.renderFrame(comp, media, frame, options.size)
  await mkdir(folder, { recursive: true })
  const files: string[] = []
  const base = filledName(options.name ?? usualName, { shot: fileStem(job.shotName), frame, version })
  for (const [i, format] of job.formats.entries()) {
    say({ type: 'progress', progress: 0.6 + (0.4 * i) / job.formats.length })
    const name = fileName(base, format)
    await writeWhole(
      join(folder, name),
      await encodeFile(picture, format, `${job.shotName}, frame ${frame}`, engine, job),
    )
    files.push(name)
  }
  say({ type: 'done', key, files, warnings: [...new Set(problems.map((p) => p.message))] })
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

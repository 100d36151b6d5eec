import { mkdir } from 'node:fs/promises'
import { join } from 'node:path'
import { parentPort, workerData } from 'node:worker_threads'
import sharp from 'sharp'
import { lookedSmall } from '../../core/engine/viewed.ts'
import type { LoadPass } from '../../core/engine/evaluator.ts'
import { fileName } from '../../core/formats/write-picture.ts'
import { layersOf } from '../../core/renders/exr-layers.ts'
import { gapWords } from '../../core/renders/gaps.ts'
import { fileStem, filledName, usualName } from '../../core/renders/file-name.ts'
import { smallPicture, thumbnailName } from '../../core/renders/thumbnail.ts'
import type { RenderPlan } from '../db/farm.ts'
import { storedReadings } from '../db/readings.ts'
import { loadStoredPass, NodeEngine } from '../engine/node-engine.ts'
import { fetchBlob, remoteReadings, ServerAway } from '../farm/remote-dispatch.ts'
import { listedObjects, namesOf } from '../media/object-names.ts'
import { writeWhole } from '../whole-file.ts'
import { encodeFile } from './encode-file.ts'
import { mostPlans, type RenderMessage, type RenderOrder, type RenderThreadData } from './render-plans.ts'

const say = (message: RenderMessage) => {
  parentPort?.postMessage(message)
}

/** Lists of objects that came beside the pictures of the render that is under way. */
let manifests: readonly string[] = []

async function render(
  engine: NodeEngine,
  plan: RenderPlan,
  frame: number,
  folder: string,
  next: number | undefined,
): Promise<void> {
  const began = performance.now()
  say({ type: 'progress', progress: 0.1 })
  manifests = plan.manifests ?? []
  const { comp, media, options, version, shotName } = plan
  const { picture, key, problems } = await engine.renderFrame(comp, media, frame, options.size, next)
  await mkdir(folder, { recursive: true })
  const isLayered = plan.formats.some((format) => format.startsWith('exr'))
  const wanted = options.layers && isLayered ? layersOf(comp, media, options.layers) : []
  // The picture is the engine's until it makes the next one.
  const whole = wanted.length > 0 ? { ...picture, data: picture.data.slice() } : picture
  const layers = await engine.exrLayers(comp, media, frame, wanted, options.size)
  const files: string[] = []
  const base = filledName(options.name ?? usualName, {
    shot: fileStem(shotName),
    frame,
    version,
    space: options.space,
  })
  for (const [i, format] of plan.formats.entries()) {
    say({ type: 'progress', progress: 0.6 + (0.4 * i) / plan.formats.length })
    const name = fileName(base, format)
    const of = { comp, media, frame }
    await writeWhole(
      join(folder, name),
      await encodeFile(whole, format, `${shotName}, frame ${frame}`, engine, of, {
        layers,
        compression: options.compression,
        space: options.space,
      }),
    )
    files.push(name)
  }
  const small = smallPicture(whole)
  const codes = await engine.shownCodes(small, { comp, media, frame }, lookedSmall(comp))
  const raw = { width: small.width, height: small.height, channels: 4 } as const
  const name = thumbnailName(base)
  await writeWhole(join(folder, name), await sharp(codes, { raw }).webp({ quality: 80 }).toBuffer())
  files.push(name)
  const ms = Math.round(performance.now() - began)
  say({
    type: 'done',
    key,
    files,
    warnings: [...new Set([...gapWords(comp, media, frame), ...problems.map((p) => p.message)])],
    ms,
  })
}

if (parentPort) {
  const { server, threads } = workerData as RenderThreadData
  const load: LoadPass = server
    ? async (wanted) => {
        await fetchBlob(server, wanted.hash)
        return loadStoredPass(wanted)
      }
    : loadStoredPass
  const engine = new NodeEngine(load, {
    threads,
    readings: server ? remoteReadings(server) : storedReadings,
    objectNames: async (hash, pass) => namesOf(await listedObjects(hash, pass), manifests),
  })
  const plans = new Map<string, RenderPlan>()
  parentPort.on('message', ({ key, plan: given, frame, folder, next }: RenderOrder) => {
    const plan = given ?? plans.get(key)
    if (!plan) {
      say({ type: 'failed', problem: 'Internal mistake: a frame came without its render.' })
      return
    }
    plans.delete(key)
    plans.set(key, plan)
    for (const old of [...plans.keys()].slice(0, -mostPlans)) plans.delete(old)
    render(engine, plan, frame, folder, next).catch((error: unknown) => {
      const isFull =
        error instanceof Error &&
        (('code' in error && error.code === 'ENOSPC') || ('isFull' in error && error.isFull === true))
      const text = isFull
        ? `The disk ${server ? 'of the worker ' : ''}is full. Make room, and it goes on by itself.`
        : error instanceof Error
          ? error.message
          : String(error)
      say({ type: 'failed', problem: text, isForNow: isFull || error instanceof ServerAway })
    })
  })
}

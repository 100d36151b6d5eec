import { availableParallelism } from 'node:os'
import { Worker } from 'node:worker_threads'
import { fileAt, readAsKey, type MediaTable, type Pass } from '../../core/comp/media.ts'
import type { Comp } from '../../core/comp/schema.ts'
import { cropToCanvas } from '../../core/engine/crop.ts'
import { Evaluator, type LoadPass } from '../../core/engine/evaluator.ts'
import { plan, planViewTable } from '../../core/engine/plan/plan.ts'
import { displayViewed, type Looked } from '../../core/engine/viewed.ts'
import { Readings, settled, type ReadingStore } from '../../core/engine/readings.ts'
import type { PlanProblem } from '../../core/engine/plan/planning.ts'
import { decodePassBlock } from '../../core/formats/pass-block.ts'
import { createControl, createKernelMemory } from '../../core/kernels/thread-pool.ts'
import type { Kernels } from '../../core/kernels/kernels.ts'
import { createKernels } from '../../core/kernels/wasm-kernels.ts'
import { plainPicture, type Picture } from '../../core/picture/picture.ts'
import { sizeOf, type RenderSize } from '../../core/renders/render-options.ts'
import { cryptomatteHeader } from '../../core/formats/cryptomatte.ts'
import { textAttribute } from '../../core/formats/exr-write.ts'
import type { FileLayer, HandedChannels } from '../../core/formats/write-picture.ts'
import type { HandedLayer, Layer } from '../../core/renders/exr-layers.ts'
import { passFilter } from '../../core/passes/passes.ts'
import { decodePool } from '../media/decode-pool.ts'
import { readWhole } from '../media/store.ts'

/** Passes out of the store, made there where they are asked for the first time. */
export const loadStoredPass: LoadPass = async ({ hash, pass, as, reduction, filter = passFilter(pass) }) => {
  const form = { pass: pass.inFile ?? pass.name, as: readAsKey(as), reduction, filter }
  const bytes = await readWhole(await decodePool().form(hash, form))
  return decodePassBlock(bytes.buffer)
}

/** Names of the objects of an ID pass by the bits of their IDs. */
export type ObjectNames = (hash: string, pass: Pass) => Promise<ReadonlyMap<number, string>>

/** An engine on this thread, helped by workers in worker threads. */
export class NodeEngine {
  readonly kernels: Kernels
  private readonly evaluator: Evaluator
  private readonly readings: Readings
  private readonly workers: Worker[]
  private readonly objectNames: ObjectNames

  constructor(
    private readonly loadPass: LoadPass,
    {
      threads = availableParallelism(),
      memoryMiB = 4096,
      readings,
      objectNames = () => Promise.resolve(new Map()),
    }: { threads?: number; memoryMiB?: number; readings?: ReadingStore; objectNames?: ObjectNames } = {},
  ) {
    const memory = createKernelMemory(memoryMiB)
    const control = createControl()
    // All bundles lie in one folder.
    const worker = new URL('./pool-worker.mjs', import.meta.url)
    this.workers = Array.from(
      { length: threads - 1 },
      () => new Worker(worker, { workerData: { memory, control } }),
    )
    for (const worker of this.workers) worker.unref()
    const { store, kernels } = createKernels(memory, control, threads - 1)
    this.kernels = kernels
    this.objectNames = objectNames
    this.readings = new Readings(readings)
    this.evaluator = new Evaluator({ kernels, store }, loadPass, (memoryMiB / 2) * 2 ** 20)
  }

  /**
   * The finished picture of a frame, without the margin; yours until the next call. It is made at full size and then made smaller (or larger): to a half
   * and a quarter by means of pixels, to other widths by Lanczos. `key` says all that its pixels depend on.
   */
  async renderFrame(
    comp: Comp,
    media: MediaTable,
    frame: number,
    size?: RenderSize,
    /** The frame that comes after, whose files are read meanwhile. */
    next?: number,
  ): Promise<{
    picture: Picture
    key: string
    problems: readonly PlanProblem[]
    replaced: ReadonlyMap<string, number>
    /** Milliseconds of pure computing, without what was waited for. */
    computeMs: number
  }> {
    const { node, area, problems } = await settled(
      this.evaluator,
      this.readings,
      comp,
      () => plan(comp, media, frame, 1, { type: 'picture' }, this.readings),
      () => false,
    )
    await this.evaluator.load(comp, node)
    if (next !== undefined) this.readAhead(comp, media, next)
    const from = performance.now()
    const whole = cropToCanvas(this.evaluator.evaluate(node), area)
    const picture = this.sized(whole, size)
    return {
      picture,
      computeMs: performance.now() - from,
      key: node.key,
      problems,
      replaced: this.evaluator.replaced,
    }
  }

  /** Begins to read what a further frame will load, while another is computed. */
  readAhead(comp: Comp, media: MediaTable, frame: number): void {
    const { node } = plan(comp, media, frame, 1, { type: 'picture' }, this.readings)
    this.evaluator.fetchAhead(comp, node)
  }

  /**
   * Layers of a frame, without the margin and of the size of its picture; data only at full size, as its numbers can not be made smaller. What can not be
   * planned is left out.
   */
  async exrLayers(
    comp: Comp,
    media: MediaTable,
    frame: number,
    layers: readonly Layer[],
    size?: RenderSize,
  ): Promise<FileLayer[]> {
    const made: FileLayer[] = []
    const { canvas } = comp
    const asked = sizeOf(size, canvas)
    for (const layer of layers) {
      if ('media' in layer) {
        const isFull = asked.width === canvas.width && asked.height === canvas.height
        const handed = isFull ? await this.handed(layer, media, frame, canvas) : undefined
        if (handed) made.push(handed)
        continue
      }
      const { name, target, isData } = layer
      const { node, area } = await settled(
        this.evaluator,
        this.readings,
        comp,
        () => plan(comp, media, frame, 1, target, this.readings),
        () => false,
      )
      await this.evaluator.load(comp, node)
      const whole = cropToCanvas(this.evaluator.evaluate(node), area)
      const wanted = sizeOf(size, whole)
      const isWhole = wanted.width === whole.width && wanted.height === whole.height
      if (isData && !isWhole) continue
      // A copy in ordinary memory: the next one may take its place.
      const picture = isWhole ? { ...whole, data: whole.data.slice() } : this.sized(whole, size)
      made.push({ name, picture, isData })
    }
    return made
  }

  /** IDs as they came, laid into the frame, with a list of the objects in it; nothing where no file serves the frame. */
  private async handed(
    { media: ref, pass }: HandedLayer,
    media: MediaTable,
    frame: number,
    { width, height }: { readonly width: number; readonly height: number },
  ): Promise<HandedChannels | undefined> {
    const hash = fileAt(media[ref]!, frame, pass)
    if (hash === undefined) return undefined
    const block = await this.loadPass({ hash, pass, as: { isData: true }, reduction: 1 })
    const type = pass.type === 'uint' ? 'uint' : block.data instanceof Uint16Array ? 'half' : 'float'
    const given =
      type === 'uint'
        ? new Uint32Array(block.data.buffer, block.data.byteOffset, block.data.length)
        : block.data
    const left = Math.max(0, block.x)
    const right = Math.min(width, block.x + block.width)
    const channels = pass.channels.slice(0, block.channels).map((name, c) => {
      const values = { uint: Uint32Array, half: Uint16Array, float: Float32Array }[type]
      const out = new values(width * height)
      for (let y = Math.max(0, block.y); y < Math.min(height, block.y + block.height); y++)
        for (let x = left; x < right; x++)
          out[y * width + x] = given[((y - block.y) * block.width + x - block.x) * block.channels + c]!
      return { name, type, values: out } as const
    })
    const header =
      pass.detail?.masks === 'ranked'
        ? cryptomatteHeader(pass.inFile ?? pass.name, await this.objectNames(hash, pass))
        : []
    return { channels, attributes: header.map(([name, text]) => textAttribute(name, text)) }
  }

  /** 8-bit RGBA codes of a finished picture as its comp is looked at, opaque over black. */
  async shownCodes(
    picture: Picture,
    { comp, media, frame }: { readonly comp: Comp; readonly media: MediaTable; readonly frame: number },
    looked: Looked = comp,
  ): Promise<Uint8Array> {
    const { store } = this.evaluator.workshop
    const table = planViewTable(comp, media, frame)
    if (table) await this.evaluator.load(comp, table.node)
    const entries = table && { picture: this.evaluator.evaluate(table.node), pass: table.pass }
    const src = store.allocate(picture.width, picture.height, 4)
    src.data.set(picture.data)
    const codes = new Uint8Array(picture.width * picture.height * 4)
    const dither = comp.dither === false ? undefined : frame
    const view = { gain: 1, channel: 'colour', checker: 0, dither } as const
    displayViewed(codes, src, view, looked, entries, this.evaluator.workshop)
    store.release(src)
    return codes
  }

  private sized(whole: Picture, size: RenderSize | undefined): Picture {
    const wanted = sizeOf(size, whole)
    if (wanted.width === whole.width && wanted.height === whole.height) return whole
    const { store } = this.evaluator.workshop
    const from = store.allocate(whole.width, whole.height, whole.channels)
    from.data.set(whole.data)
    const out = store.allocate(wanted.width, wanted.height, whole.channels)
    if (typeof size === 'number') this.kernels.boxReduce(out, from, size)
    else {
      const [across, down] = [whole.width / wanted.width, whole.height / wanted.height]
      this.kernels.resample(out, from, [across, 0, 0, 0, down, 0], 'lanczos')
    }
    // A copy in ordinary memory, so that both are given back.
    const picture = { ...plainPicture(wanted.width, wanted.height, whole.channels), data: out.data.slice() }
    for (const taken of [from, out]) store.release(taken)
    return picture
  }

  async close(): Promise<void> {
    await Promise.all(this.workers.map((worker) => worker.terminate()))
  }
}

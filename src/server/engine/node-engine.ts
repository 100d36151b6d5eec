import { availableParallelism } from 'node:os'
import { Worker } from 'node:worker_threads'
import { readAsKey, type MediaTable } from '../../core/comp/media.ts'
import type { Comp } from '../../core/comp/schema.ts'
import { cropToCanvas } from '../../core/engine/crop.ts'
import { Evaluator, type LoadPass } from '../../core/engine/evaluator.ts'
import { plan, planViewTable } from '../../core/engine/plan/plan.ts'
import { displayViewed } from '../../core/engine/viewed.ts'
import { Readings, settled, type ReadingStore } from '../../core/engine/readings.ts'
import type { PlanProblem } from '../../core/engine/plan/planning.ts'
import { decodePassBlock } from '../../core/formats/pass-block.ts'
import { createControl, createKernelMemory } from '../../core/kernels/thread-pool.ts'
import type { Kernels } from '../../core/kernels/kernels.ts'
import { createKernels } from '../../core/kernels/wasm-kernels.ts'
import { plainPicture, type Picture } from '../../core/picture/picture.ts'
import { sizeOf, type RenderSize } from '../../core/renders/render-options.ts'
import type { PictureLayer } from '../../core/formats/write-picture.ts'
import type { Layer } from '../../core/renders/exr-layers.ts'
import { passFilter } from '../../core/passes/passes.ts'
import { decodePool } from '../media/decode-pool.ts'
import { readWhole } from '../media/store.ts'

/** Passes out of the store, made there where they are asked for the first time. */
export const loadStoredPass: LoadPass = async ({ hash, pass, as, reduction, filter = passFilter(pass) }) => {
  const form = { pass: pass.inFile ?? pass.name, as: readAsKey(as), reduction, filter }
  const bytes = await readWhole(await decodePool().form(hash, form))
  return decodePassBlock(bytes.buffer)
}

/** An engine on this thread, helped by workers in worker threads. */
export class NodeEngine {
  readonly kernels: Kernels
  private readonly evaluator: Evaluator
  private readonly readings: Readings
  private readonly workers: Worker[]

  constructor(
    loadPass: LoadPass,
    {
      threads = availableParallelism(),
      memoryMiB = 4096,
      readings,
    }: { threads?: number; memoryMiB?: number; readings?: ReadingStore } = {},
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
  ): Promise<{
    picture: Picture
    key: string
    problems: readonly PlanProblem[]
    replaced: ReadonlyMap<string, number>
  }> {
    const { node, area, problems } = await settled(
      this.evaluator,
      this.readings,
      comp,
      () => plan(comp, media, frame, 1, { type: 'picture' }, this.readings),
      () => false,
    )
    await this.evaluator.load(comp, node)
    const whole = cropToCanvas(this.evaluator.evaluate(node), area)
    return {
      picture: this.sized(whole, size),
      key: node.key,
      problems,
      replaced: this.evaluator.replaced,
    }
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
  ): Promise<PictureLayer[]> {
    const made: PictureLayer[] = []
    for (const { name, target, isData } of layers) {
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

  /** 8-bit RGBA codes of a finished picture as its comp is looked at, opaque over black. */
  async shownCodes(
    picture: Picture,
    { comp, media, frame }: { readonly comp: Comp; readonly media: MediaTable; readonly frame: number },
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
    displayViewed(codes, src, view, comp.viewing, entries, this.evaluator.workshop)
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

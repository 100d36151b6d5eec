import { availableParallelism } from 'node:os'
import { Worker } from 'node:worker_threads'
import { readAsKey, type MediaTable } from '../../core/comp/media.ts'
import type { Comp } from '../../core/comp/schema.ts'
import { cropToCanvas } from '../../core/engine/crop.ts'
import { Evaluator, type LoadPass } from '../../core/engine/evaluator.ts'
import { plan } from '../../core/engine/plan/plan.ts'
import { Readings, settled, type ReadingStore } from '../../core/engine/readings.ts'
import type { PlanProblem } from '../../core/engine/plan/planning.ts'
import { decodePassBlock } from '../../core/formats/pass-block.ts'
import { createControl, createKernelMemory } from '../../core/kernels/thread-pool.ts'
import type { Kernels } from '../../core/kernels/kernels.ts'
import { createKernels } from '../../core/kernels/wasm-kernels.ts'
import type { Picture } from '../../core/picture/picture.ts'
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

  /** The finished picture of a frame, without the margin; yours until the next call. */
  async renderFrame(
    comp: Comp,
    media: MediaTable,
    frame: number,
  ): Promise<{ picture: Picture; problems: readonly PlanProblem[]; replaced: ReadonlyMap<string, number> }> {
    const { node, area, problems } = await settled(
      this.evaluator,
      this.readings,
      comp,
      () => plan(comp, media, frame, 1, { type: 'picture' }, this.readings),
      () => false,
    )
    await this.evaluator.load(comp, node)
    return {
      picture: cropToCanvas(this.evaluator.evaluate(node), area),
      problems,
      replaced: this.evaluator.replaced,
    }
  }

  async close(): Promise<void> {
    await Promise.all(this.workers.map((worker) => worker.terminate()))
  }
}

import { Cancelled } from '../../core/cancelled.ts'
import type { MediaTable } from '../../core/comp/media.ts'
import { patchesBetween } from '../../core/comp/patches.ts'
import type { Comp } from '../../core/comp/schema.ts'
import type { Answer, Class, Kind, Wish, Work } from '../../core/engine/session/requests.ts'
import { createControl, createKernelMemory } from '../../core/kernels/thread-pool.ts'
import { SharedFlags, type EngineMessage, type EngineReply, type WireWish } from './messages.ts'

/** What the engine says of a request that it could not answer. */
export class EngineError extends Error {
  override name = 'EngineError'
  constructor(
    message: string,
    readonly isMemory: boolean,
  ) {
    super(message)
  }
}

/** The engine died; what counts is asked for anew. */
export class EngineLost extends Cancelled {}

interface Open {
  readonly resolve: (value: Answer<Kind>) => void
  readonly reject: (error: Error) => void
}
/** A request on its way. */
export interface Asked<K extends Kind> {
  readonly id: number
  readonly answer: Promise<Answer<K>>
}

/** Memory that may grow as far as the browser allows: 4 GiB, less on machines with little, or where that is refused. Pictures that are kept have most of it. */
function largestMemory() {
  // In GiB, rounded; not every browser tells.
  const { deviceMemory = 8 } = navigator as Navigator & { readonly deviceMemory?: number }
  const sizes = deviceMemory >= 8 ? [4096, 2048, 1024] : [2048, 1024]
  for (const [i, size] of sizes.entries())
    try {
      const mostBytes = size * 2 ** 20
      return { memory: createKernelMemory(size), mostBytes, budgetBytes: 0.6 * mostBytes }
    } catch (error) {
      if (i === sizes.length - 1) throw error
    }
  throw new RangeError('no memory')
}

/** The engine's threads and the messages to them: starts them, tells them what changed in the shot, and brings each answer to who asked. */
export class EngineLink {
  private engine!: Worker
  private workers: Worker[] = []
  private flags!: SharedFlags
  private open = new Map<number, Open>()
  /** What the engine has of the shot. */
  private sent: { comp?: Comp; media?: MediaTable } = {}
  private nextId = 1
  private replacedAt = -Infinity
  private memory: { readonly memory: WebAssembly.Memory; readonly mostBytes: number } | undefined

  /** `onLost` is told of an engine that died, after all that was asked of it was refused: there is a new one, or it died twice and there is none. */
  constructor(private readonly onLost: (isBack: boolean, message: string) => void) {
    this.begin()
  }

  /** What the engine has taken of the memory it may have, in bytes. */
  get memoryUse(): { readonly bytes: number; readonly mostBytes: number } {
    return { bytes: this.memory?.memory.buffer.byteLength ?? 0, mostBytes: this.memory?.mostBytes ?? 0 }
  }

  /** Ends the threads; what was asked for gets no answer. */
  close(): void {
    this.engine.terminate()
    for (const worker of this.workers) worker.terminate()
  }

  /** A request of this number is no longer wanted. */
  giveUp(id: number): void {
    this.flags.giveUp(id)
  }

  /** One more picture is asked for: what is made for less gives way. */
  countPicture(): void {
    this.flags.countPicture()
  }

  /** Asks the engine; its answer is refused with `Cancelled` where it was given up, with `EngineError` where it could not be made. */
  ask<K extends Kind>(kind: K, { comp, media }: Work, wish: Wish<K>, of: Class): Asked<K> {
    this.bringUp(comp, media)
    const id = this.nextId++
    const answer = new Promise<Answer<Kind>>((resolve, reject) => {
      this.open.set(id, { resolve, reject })
    }) as Promise<Answer<K>>
    const comps = 'comps' in wish ? wish.comps.map((one) => patchesBetween(comp, one)) : undefined
    const wire = { ...wish, ...(comps && { comps }) } as WireWish<K>
    this.post({ type: 'request', id, kind, class: of, wish: wire })
    return { id, answer }
  }

  /** An answer that may fail to come: undefined, with the reason in the console. */
  async chart<K extends Kind>(
    kind: K,
    work: Work,
    wish: Wish<K>,
    of: Class = 'charts',
  ): Promise<Answer<K> | undefined> {
    try {
      return await this.ask(kind, work, wish, of).answer
    } catch (error) {
      if (!(error instanceof Cancelled)) console.warn(`No answer to ${kind}:`, error)
      return undefined
    }
  }

  /** Starts the engine's threads on a memory of their own. */
  private begin(): void {
    const threads = Math.max(1, Math.min(8, navigator.hardwareConcurrency))
    const { memory, mostBytes, budgetBytes } = largestMemory()
    this.memory = { memory, mostBytes }
    const control = createControl()
    this.flags = new SharedFlags()
    this.sent = {}
    this.engine = new Worker(new URL('./engine.worker.ts', import.meta.url), { type: 'module' })
    this.workers = Array.from({ length: threads - 1 }, () => {
      const worker = new Worker(new URL('./pool.worker.ts', import.meta.url), { type: 'module' })
      worker.postMessage({ memory, control })
      return worker
    })
    const { port1, port2: files } = new MessageChannel()
    const fetcher = new Worker(new URL('./files.worker.ts', import.meta.url), { type: 'module' })
    fetcher.postMessage(port1, [port1])
    this.workers.push(fetcher)
    this.engine.onmessage = ({ data }: MessageEvent<EngineReply>) => {
      this.receive(data)
    }
    this.engine.onerror = (event) => {
      event.preventDefault()
      this.replace(event.message)
    }
    const flags = this.flags.buffer
    this.post({ type: 'start', memory, control, workers: threads - 1, flags, budgetBytes, files }, [files])
  }

  /** An engine that died is replaced and its work done once more; when that dies too, it is said. */
  private replace(reason: string): void {
    this.close()
    const lost = [...this.open.values()]
    this.open = new Map()
    for (const { reject } of lost) reject(new EngineLost())
    const isBack = performance.now() - this.replacedAt >= 10_000
    if (isBack) {
      this.replacedAt = performance.now()
      this.begin()
    }
    const last = 'Reload the page to start it again; your work is saved.'
    this.onLost(isBack, `The engine stopped twice (${reason}). ${last}`)
  }

  /** Tells the engine what has changed since it was last told. */
  private bringUp(comp: Comp, media: MediaTable): void {
    const { sent } = this
    if (sent.media !== media) this.post({ type: 'media', media })
    if (!sent.comp) this.post({ type: 'comp', comp })
    else if (sent.comp !== comp) {
      const patches = patchesBetween(sent.comp, comp)
      if (patches.length > 0) this.post({ type: 'patches', patches })
    }
    this.sent = { comp, media }
  }

  private receive(message: EngineReply): void {
    const open = this.open.get(message.id)
    this.open.delete(message.id)
    if (message.type === 'answer') open?.resolve(message.value)
    else if (message.type === 'given-up') open?.reject(new Cancelled())
    else open?.reject(new EngineError(message.message, message.isMemory))
  }

  private post(message: EngineMessage, transfer: Transferable[] = []): void {
    this.engine.postMessage(message, transfer)
  }
}

import type { Comp } from '../../core/comp/schema.ts'
import { createControl, createKernelMemory } from '../../core/kernels/thread-pool.ts'
import type { DisplayOptions } from '../../core/kernels/kernels.ts'
import type { LuminanceHistogram, ValueHistogram } from '../../core/engine/histogram.ts'
import type { Scope } from '../../core/engine/scopes.ts'
import type { ScopeKind, ScopeRegion } from '../../core/kernels/kernels.ts'
import type { Target } from '../../core/engine/plan/plan-targets.ts'
import type { Reduction } from '../../core/engine/work-area.ts'
import type {
  EngineReply,
  EngineRequest,
  Overlay,
  PassThumb,
  Probed,
  Shown,
  Side,
  Thumb,
  Work,
} from './messages.ts'

export interface Wanted extends Work {
  readonly target: Target
  readonly view: DisplayOptions
  readonly overlay?: Overlay | undefined
  readonly hasWarnings?: boolean
}

export interface EngineListener {
  onShown(shown: Shown): void
  onThumbs(thumbs: readonly Thumb[], meters: Readonly<Record<string, number>>): void
  /** True from when a picture has been asked for until it is there at full size. */
  onBusy(isBusy: boolean): void
  onFailed(message: string): void
}

/** A full-size picture that takes less than this is shown at once, without a proxy before it. */
const directMs = 45
const thumbWidth = 96

/**
 * The page's side of the engine. A new wish first shows a proxy, which is never given up (or a fast drag would show
 * nothing), then settles to full size, which is given up for anything newer; thumbnails come last.
 */
export class EngineClient {
  private engine!: Worker
  private workers: Worker[] = []
  private readonly newest = new Int32Array(new SharedArrayBuffer(4))
  private readonly waiting = new Map<number, (value: never) => void>()
  private wanted: Wanted | undefined
  private serial = 0
  private isRunning = false
  /** By size; not known yet: a small picture comes first. */
  private readonly tookMs: Partial<Record<Reduction, number>> = {}
  private nextId = 1
  private replacedAt = -Infinity
  /** The picture on its way is smaller than wanted, as memory ran out. */
  private isShort = false

  constructor(private readonly listener: EngineListener) {
    this.begin()
  }

  /** Starts the engine's threads on a memory of their own. */
  private begin(): void {
    const threads = Math.max(1, Math.min(8, navigator.hardwareConcurrency))
    const memory = createKernelMemory(2048)
    const control = createControl()
    this.engine = new Worker(new URL('./engine.worker.ts', import.meta.url), { type: 'module' })
    this.workers = Array.from({ length: threads - 1 }, () => {
      const worker = new Worker(new URL('./pool.worker.ts', import.meta.url), { type: 'module' })
      worker.postMessage({ memory, control })
      return worker
    })
    this.engine.onmessage = ({ data }: MessageEvent<EngineReply>) => {
      this.receive(data)
    }
    this.engine.onerror = (event) => {
      event.preventDefault()
      this.replace(event.message)
    }
    const newest = this.newest.buffer
    this.post({ type: 'start', memory, control, workers: threads - 1, newest, budgetBytes: 1200 * 2 ** 20 })
  }

  /** An engine that died is replaced and its work done once more; when that dies too, it is said. */
  private replace(reason: string): void {
    this.close()
    for (const resolve of this.waiting.values()) resolve(undefined as never)
    this.waiting.clear()
    this.isRunning = false
    if (performance.now() - this.replacedAt < 10_000) {
      this.listener.onFailed(
        `The engine stopped twice (${reason}). Reload the page to start it again; your work is saved.`,
      )
      return
    }
    this.replacedAt = performance.now()
    this.begin()
    if (this.wanted) this.show(this.wanted)
  }

  /** Asks for a picture; only the latest wish counts. */
  show(wanted: Wanted): void {
    this.wanted = wanted
    this.serial++
    Atomics.store(this.newest, 0, this.serial)
    this.listener.onBusy(true)
    if (!this.isRunning) this.run(this.firstReduction())
  }

  histogram(work: Work, target: Target, byMost: boolean): Promise<LuminanceHistogram | undefined> {
    return this.ask((id) => ({ ...pick(work), type: 'histogram', id, target, byMost }))
  }

  /** A second picture at full size; undefined where it can not be made. */
  side(work: Work, target: Target, view: DisplayOptions): Promise<Side | undefined> {
    return this.ask((id) => ({ ...pick(work), type: 'side', id, target, view }))
  }

  /** A picture at full size as an EXR file; undefined where it can not be made. */
  exr(work: Work, target: Target): Promise<Uint8Array<ArrayBuffer> | undefined> {
    return this.ask((id) => ({ ...pick(work), type: 'exr', id, target }))
  }

  /** A scope of a picture; undefined where it can not be made. */
  scope(
    work: Work,
    target: Target,
    kind: ScopeKind,
    region?: ScopeRegion,
  ): Promise<{ readonly scope: Scope; readonly tookMs: number } | undefined> {
    return this.ask((id) => ({ ...pick(work), type: 'scope', id, target, kind, region }))
  }

  /** Where the values of a pass or a feed lie; undefined where it can not be loaded. */
  values(work: Work, of: Target): Promise<ValueHistogram | undefined> {
    return this.ask((id) => ({ ...pick(work), type: 'values', id, of }))
  }

  /** Values under a pixel of the full frame; undefined outside the picture. */
  probe(work: Work, x: number, y: number, of?: Target): Promise<Probed | undefined> {
    return this.ask((id) => ({ ...pick(work), type: 'probe', id, x, y, ...(of ? { of } : {}) }))
  }

  /** Small pictures of other comps of the same shot; undefined for those that can not be made. */
  previews(
    { media, frame }: Work,
    comps: readonly Comp[],
    target: Target,
    width: number,
  ): Promise<readonly (Thumb | undefined)[] | undefined> {
    return this.ask((id) => ({ type: 'previews', id, comps, media, frame, target, width }))
  }

  /** Readable small pictures of every pass of the media; those that can not be loaded are left out. */
  passes(work: Work, width: number): Promise<readonly PassThumb[]> {
    return this.ask((id) => ({ ...pick(work), type: 'passes', id, width }))
  }

  close(): void {
    this.engine.terminate()
    for (const worker of this.workers) worker.terminate()
  }

  /** The largest picture that is there at once, by how long those before it took. */
  private firstReduction(): Reduction {
    const { 1: full = 1000, 2: half = full / 3 } = this.tookMs
    if (full < directMs) return 1
    // A quarter is there already, from the thumbnails; a half has to be worth its own beginning.
    return half < directMs / 2 ? 2 : 4
  }

  private run(reduction: Reduction): void {
    if (!this.wanted) return
    this.isRunning = true
    const isGivenUp = reduction === 1 && (this.tookMs[1] ?? 1000) >= directMs
    this.post({ ...this.wanted, type: 'show', serial: this.serial, reduction, isGivenUp })
  }

  private receive(message: EngineReply): void {
    switch (message.type) {
      case 'shown':
        // A picture that was found rather than made says little of the next one.
        this.tookMs[message.reduction] = Math.max(message.tookMs, 0.8 * (this.tookMs[message.reduction] ?? 0))
        this.listener.onShown(message)
        if (this.isShort && message.serial === this.serial) {
          this.isShort = false
          this.listener.onFailed(
            `There is not enough memory for this picture at full size; it is shown at 1/${message.reduction}. Mute lanes or close other pages for more.`,
          )
          this.afterPicture(message.serial, 1)
          return
        }
        this.afterPicture(message.serial, message.reduction)
        return
      case 'given-up':
        this.afterPicture(message.serial, 1)
        return
      case 'failed': {
        const smaller = ({ 1: 2, 2: 4, 4: undefined } as const)[message.reduction]
        if (message.isMemory && smaller && message.serial === this.serial) {
          // Shown smaller, and said, rather than not at all.
          this.isShort = true
          this.run(smaller)
          return
        }
        this.listener.onFailed(message.message)
        this.afterPicture(message.serial, 1)
        return
      }
      case 'thumbs':
        this.listener.onThumbs(message.thumbs, message.meters)
        return
      case 'histogram':
      case 'values':
        this.settle(message.id, message.histogram)
        return
      case 'scope':
        this.settle(message.id, message.scope && { scope: message.scope, tookMs: message.tookMs })
        return
      case 'side':
        this.settle(message.id, message.side)
        return
      case 'exr':
        this.settle(message.id, message.bytes)
        return
      case 'passes':
        this.settle(message.id, message.thumbs)
        return
      case 'previews':
        this.settle(message.id, message.thumbs)
        return
      case 'probe':
        this.settle(message.id, message.probed)
        return
      case 'unanswered':
        this.settle(message.id, undefined)
    }
  }

  private afterPicture(serial: number, reduction: Reduction): void {
    this.isRunning = false
    if (serial !== this.serial) this.run(this.firstReduction())
    else if (reduction > 1) this.run(1)
    else {
      this.listener.onBusy(false)
      if (this.wanted) this.post({ ...pick(this.wanted), type: 'thumbs', serial, width: thumbWidth })
    }
  }

  private ask<T>(request: (id: number) => EngineRequest): Promise<T> {
    const id = this.nextId++
    return new Promise<T>((resolve) => {
      this.waiting.set(id, resolve)
      this.post(request(id))
    })
  }

  private settle(id: number, value: unknown): void {
    this.waiting.get(id)?.(value as never)
    this.waiting.delete(id)
  }

  private post(request: EngineRequest): void {
    this.engine.postMessage(request)
  }
}

const pick = ({ comp, media, frame }: Work): Work => ({ comp, media, frame })

import { Cancelled } from '../../core/cancelled.ts'
import type { MediaTable } from '../../core/comp/media.ts'
import { patchesBetween } from '../../core/comp/patches.ts'
import type { Comp } from '../../core/comp/schema.ts'
import type { LuminanceHistogram, ValueHistogram } from '../../core/engine/histogram.ts'
import type { Target } from '../../core/engine/plan/plan-targets.ts'
import type { Scope } from '../../core/engine/scopes.ts'
import type {
  Answer,
  Class,
  Kind,
  PassThumb,
  Probed,
  Shown,
  Thumb,
  Wish,
  Work,
} from '../../core/engine/session/requests.ts'
import { isHuge, isWithin, reductionsOf, type Part, type Reduction } from '../../core/engine/work-area.ts'
import type { DisplayOptions, ScopeKind, ScopeRegion } from '../../core/kernels/kernels.ts'
import { createControl, createKernelMemory } from '../../core/kernels/thread-pool.ts'
import { SharedFlags, type EngineMessage, type EngineReply, type WireWish } from './messages.ts'

/** A shot at a frame. */
export interface AtFrame extends Work {
  readonly frame: number
}
export type Wanted = AtFrame &
  Omit<Wish<'show'>, 'reduction' | 'isProxy' | 'isLast' | 'frame'> & {
    /** The size at which it is looked at; full size where left out. */
    readonly finest?: Reduction
  }

export interface EngineListener {
  /** A picture of the wish with this number. */
  onShown(shown: Shown, serial: number): void
  onThumbs(thumbs: readonly Thumb[], meters: Readonly<Record<string, number>>): void
  /** True from when a picture has been asked for until it is there at the size that is looked at; the number of the latest wish. */
  onBusy(isBusy: boolean, serial: number): void
  onFailed(message: string): void
}

/** A picture at the size that is looked at which takes less than this is shown at once, without a proxy before it. */
const directMs = 45
/** A proxy is the largest that takes less than this. */
const proxyMs = 25
/** Before a picture that takes longer, one between it and the proxy is shown. */
const longMs = 800
/** Where the whole takes longer, what is seen of it is made before it. */
const partMs = 250
const thumbWidth = 96

/** What the engine says of a request that it could not answer. */
class EngineError extends Error {
  override name = 'EngineError'
  constructor(
    message: string,
    readonly isMemory: boolean,
  ) {
    super(message)
  }
}

/** The engine died; what counts is asked for anew. */
class EngineLost extends Cancelled {}

interface Open {
  readonly resolve: (value: Answer<Kind>) => void
  readonly reject: (error: Error) => void
}
/** A request on its way. */
interface Asked<K extends Kind> {
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

/**
 * The page's side of the engine. A new wish first shows a proxy, which is never given up (or a fast drag would show
 * nothing), then settles to the size that is looked at, which is given up for anything newer; thumbnails come last.
 */
export class EngineClient {
  private engine!: Worker
  private workers: Worker[] = []
  private flags!: SharedFlags
  private open = new Map<number, Open>()
  /** What the engine has of the shot. */
  private sent: { comp?: Comp; media?: MediaTable } = {}
  private wanted: Wanted | undefined
  /** Counts wishes; only the latest counts. */
  private serial = 0
  private isRunning = false
  /** The request that a newer wish gives up. */
  private unwanted: number | undefined
  private thumbsAsked: number | undefined
  private aheadAsked: number | undefined
  private isThere = false
  /** What is seen alone has been made of this wish, or the whole. */
  private made: { readonly serial: number; readonly part?: Part | undefined } | undefined
  /** By size; not known yet: a small picture comes first. */
  private readonly tookMs: Partial<Record<Reduction, number>> = {}
  private nextId = 1
  private replacedAt = -Infinity
  /** The picture on its way is smaller than wanted, as memory ran out. */
  private isShort = false
  private memory: { readonly memory: WebAssembly.Memory; readonly mostBytes: number } | undefined

  constructor(private readonly listener: EngineListener) {
    this.begin()
  }

  /** What the engine has taken of the memory it may have, in bytes. */
  get memoryUse(): { readonly bytes: number; readonly mostBytes: number } {
    return { bytes: this.memory?.memory.buffer.byteLength ?? 0, mostBytes: this.memory?.mostBytes ?? 0 }
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

  /** Of the picture that is wanted only a part has been made at full size. */
  get isPart(): boolean {
    return this.made?.serial === this.serial && this.made.part !== undefined
  }

  /** Another part of the same picture is seen: it is made, unless it is there. */
  lookAt(seen: Part | undefined): void {
    if (!this.wanted) return
    const { made, serial } = this
    const wanted = { ...this.wanted, ...(seen ? { seen } : {}) }
    this.wanted = wanted
    const isThere =
      made?.serial === serial && (!made.part || (seen !== undefined && isWithin(seen, made.part)))
    if (seen && !isThere && this.finest === 1) this.show(wanted, true)
  }

  /** Asks for a picture; only the latest wish counts. Of one that is there already, kept ready, no proxy is made. */
  show(wanted: Wanted, isThere = false): void {
    this.wanted = wanted
    this.serial++
    this.listener.onBusy(true, this.serial)
    for (const id of [this.unwanted, this.thumbsAsked, this.aheadAsked])
      if (id !== undefined) this.flags.giveUp(id)
    this.isThere = isThere
    if (!this.isRunning) this.run(this.firstReduction())
  }

  histogram(
    { frame, ...work }: AtFrame,
    target: Target,
    byMost: boolean,
  ): Promise<LuminanceHistogram | undefined> {
    return this.chart('histogram', work, { frame, target, byMost })
  }

  /** A second picture; undefined where it can not be made. */
  side(
    { frame, ...work }: AtFrame,
    target: Target,
    view: DisplayOptions,
    { reduction = 1, seen }: Pick<Wish<'side'>, 'reduction' | 'seen'> = {},
  ): Promise<Answer<'side'> | undefined> {
    return this.chart('side', work, { frame, target, view, reduction, seen }, 'picture')
  }

  /** A picture at full size as an EXR file; undefined where it can not be made. */
  exr({ frame, ...work }: AtFrame, target: Target): Promise<Uint8Array<ArrayBuffer> | undefined> {
    return this.chart('exr', work, { frame, target })
  }

  /** A scope of a picture; undefined where it can not be made. */
  scope(
    { frame, ...work }: AtFrame,
    target: Target,
    scope: ScopeKind,
    { region, reduction }: { readonly region?: ScopeRegion | undefined; readonly reduction?: Reduction } = {},
  ): Promise<{ readonly scope: Scope; readonly tookMs: number } | undefined> {
    return this.chart('scope', work, { frame, target, scope, region, reduction })
  }

  /** Where the values of a pass or a feed lie; undefined where it can not be loaded. */
  values({ frame, ...work }: AtFrame, target: Target): Promise<ValueHistogram | undefined> {
    return this.chart('values', work, { frame, target })
  }

  /** Values under a pixel of the full frame; undefined outside the picture. */
  probe(
    { frame, ...work }: AtFrame,
    x: number,
    y: number,
    { of, isExact = false }: { readonly of?: Target | undefined; readonly isExact?: boolean } = {},
  ): Promise<Probed | undefined> {
    return this.chart('probe', work, { frame, x, y, of, isExact }, 'measures')
  }

  /** A picture made ahead for playing; undefined where it can not be made or was given up. */
  async ahead(
    { frame, ...work }: AtFrame,
    wish: Omit<Wish<'ahead'>, 'frame'>,
  ): Promise<Answer<'ahead'> | undefined> {
    const { id, answer } = this.ask('ahead', work, { frame, ...wish }, 'ahead')
    this.aheadAsked = id
    try {
      return await answer
    } catch (error) {
      if (!(error instanceof Cancelled)) console.warn(`Frame ${frame} could not be made ahead:`, error)
      return undefined
    }
  }

  /** Gives up what is made ahead. */
  stopAhead(): void {
    if (this.aheadAsked !== undefined) this.flags.giveUp(this.aheadAsked)
  }

  /** Where something is, or how bright, on some frames; undefined where it can not be told. */
  readings(
    { comp, media }: Work,
    of: Wish<'readings'>['of'],
    frames: readonly number[],
  ): Promise<Answer<'readings'> | undefined> {
    return this.chart('readings', { comp, media }, { of, frames }, 'ahead')
  }

  /** Small pictures of other comps of the same shot; undefined for those that can not be made. */
  previews(
    { frame, ...work }: AtFrame,
    comps: readonly Comp[],
    target: Target,
    width: number,
  ): Promise<readonly (Thumb | undefined)[] | undefined> {
    return this.chart('previews', work, { frame, comps, target, width }, 'thumbnails')
  }

  /** Readable small pictures of every pass of the media; those that can not be loaded are left out. */
  async passes({ frame, ...work }: AtFrame, width: number): Promise<readonly PassThumb[]> {
    return (await this.chart('passes', work, { frame, width }, 'thumbnails')) ?? []
  }

  close(): void {
    this.engine.terminate()
    for (const worker of this.workers) worker.terminate()
  }

  private get finest(): Reduction {
    return this.wanted?.finest ?? 1
  }

  /** Sizes that may be shown, the one that is looked at first. */
  private sizes(): Reduction[] {
    const all = this.wanted ? reductionsOf(this.wanted.comp) : []
    const fit = all.filter((r) => r >= this.finest)
    return fit.length > 0 ? fit : [this.finest]
  }

  /** How long a picture of a size takes, by those before it: work follows its pixels, less so in small ones. Undefined before there were any. */
  private expectedMs(size: Reduction): number | undefined {
    const known = (Object.keys(this.tookMs).map(Number) as Reduction[]).sort(
      (a, b) => Math.abs(Math.log2(a / size)) - Math.abs(Math.log2(b / size)),
    )[0]
    if (known === undefined) return undefined
    return this.tookMs[known]! * (known / size) ** (size < known ? 2 : 1.5)
  }

  /** The largest picture that is there at once, by how long those before it took. */
  private firstReduction(): Reduction {
    if (this.isThere) return this.finest
    const sizes = this.sizes()
    const smallest = sizes.at(-1)!
    return (
      sizes.find((size) => (this.expectedMs(size) ?? 1000) < (size === this.finest ? directMs : proxyMs)) ??
      smallest
    )
  }

  /** The size after one: that which is looked at, or, where that takes long, one between that is there soon. */
  private nextSize(after: Reduction): Reduction {
    if (this.isPartial()) return this.finest
    if ((this.expectedMs(this.finest) ?? 0) < longMs) return this.finest
    const between = this.sizes().filter((size) => size > this.finest && size <= after / 4)
    return between.find((size) => (this.expectedMs(size) ?? 0) < longMs / 2) ?? this.finest
  }

  /** Whether what is seen is made alone before the whole, or in place of it. */
  private isPartial(): boolean {
    if (!this.wanted?.seen || this.finest !== 1) return false
    return isHuge(this.wanted.comp) || (this.expectedMs(1) ?? 1000) > partMs
  }

  /** Asks for a picture at a size; one that follows another of the same wish may be given up for a newer wish. */
  private run(reduction: Reduction, isFollowing = false): void {
    if (!this.wanted) return
    const { comp, media, finest = 1, seen, ...wish } = this.wanted
    const { serial } = this
    const isProxy = reduction > finest
    const isPart = reduction === 1 && this.made?.serial !== serial && this.isPartial()
    const part = isPart ? { seen, isLast: isHuge(comp) } : {}
    this.isRunning = true
    const mayEnd = (isFollowing || !isProxy) && (this.expectedMs(reduction) ?? 1000) >= directMs
    this.flags.countPicture()
    const asked = this.ask(
      'show',
      { comp, media },
      { ...wish, ...part, reduction, isProxy },
      isProxy ? 'drag' : 'picture',
    )
    this.unwanted = mayEnd ? asked.id : undefined
    asked.answer.then(
      (shown) => {
        this.received(shown, serial)
      },
      (error: unknown) => {
        this.missed(error, reduction, serial)
      },
    )
  }

  private received(shown: Shown, serial: number): void {
    const { reduction, tookMs, part } = shown
    // A picture that was found rather than made says little of the next one, nor does a part.
    if (!part) this.tookMs[reduction] = Math.max(tookMs, 0.8 * (this.tookMs[reduction] ?? 0))
    if (reduction === 1 && serial === this.serial) this.made = { serial, part }
    this.listener.onShown(shown, serial)
    const isShort = this.isShort && serial === this.serial
    if (isShort) {
      this.isShort = false
      this.listener.onFailed(
        `There is not enough memory for this picture at the size that is looked at; it is shown at 1/${reduction}. Mute lanes or close other pages for more.`,
      )
    }
    if (part && !shown.isSettled && serial === this.serial) this.run(1, true)
    else this.afterPicture(serial, isShort ? this.finest : reduction)
  }

  private missed(error: unknown, reduction: Reduction, serial: number): void {
    if (error instanceof EngineLost) return
    if (error instanceof Cancelled) {
      this.afterPicture(serial, this.finest)
      return
    }
    const smaller = this.sizes().find((size) => size > reduction)
    if (error instanceof EngineError && error.isMemory && this.made?.serial === serial) {
      // What is seen of it is there.
      this.afterPicture(serial, this.finest)
      return
    }
    if (error instanceof EngineError && error.isMemory && smaller && serial === this.serial) {
      // Shown smaller, and said, rather than not at all.
      this.isShort = true
      this.run(smaller)
      return
    }
    this.listener.onFailed(error instanceof Error ? error.message : String(error))
    this.afterPicture(serial, this.finest)
  }

  private afterPicture(serial: number, reduction: Reduction): void {
    this.isRunning = false
    if (serial !== this.serial) this.run(this.firstReduction())
    else if (reduction > this.finest) this.run(this.nextSize(reduction), true)
    else {
      this.listener.onBusy(false, this.serial)
      this.askForThumbs()
    }
  }

  private askForThumbs(): void {
    if (!this.wanted) return
    const { comp, media, frame } = this.wanted
    const { id, answer } = this.ask('thumbs', { comp, media }, { frame, width: thumbWidth }, 'thumbnails')
    this.thumbsAsked = id
    answer.then(
      ({ thumbs, meters }) => {
        this.listener.onThumbs(thumbs, meters)
      },
      (error: unknown) => {
        if (!(error instanceof Cancelled)) console.warn('Thumbnails could not be made:', error)
      },
    )
  }

  /** An answer that may fail to come: undefined, with the reason in the console. */
  private async chart<K extends Kind>(
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

  private ask<K extends Kind>(kind: K, { comp, media }: Work, wish: Wish<K>, of: Class): Asked<K> {
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

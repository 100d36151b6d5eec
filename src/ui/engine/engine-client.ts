import { Cancelled } from '../../core/cancelled.ts'
import type { Comp } from '../../core/comp/schema.ts'
import type { LuminanceHistogram, ValueHistogram } from '../../core/engine/histogram.ts'
import type { Target } from '../../core/engine/plan/plan-targets.ts'
import type { Scope } from '../../core/engine/scopes.ts'
import type {
  Answer,
  PassThumb,
  Probed,
  Shown,
  Thumb,
  Wish,
  Work,
} from '../../core/engine/session/requests.ts'
import { isHuge, isWithin, reductionsOf, type Part, type Reduction } from '../../core/engine/work-area.ts'
import type { DisplayOptions, ScopeKind, ScopeRegion } from '../../core/kernels/kernels.ts'
import { EngineError, EngineLink, EngineLost } from './engine-link.ts'

/** A shot at a frame. */
export interface AtFrame extends Work {
  readonly frame: number
}
export type Wanted = AtFrame &
  Omit<Wish<'show'>, 'reduction' | 'isProxy' | 'isLast' | 'finest' | 'frame'> & {
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

/**
 * The page's side of the engine. A new wish first shows a proxy, which is never given up (or a fast drag would show
 * nothing), then settles to the size that is looked at, which is given up for anything newer; thumbnails come last.
 */
export class EngineClient {
  private readonly link: EngineLink
  private wanted: Wanted | undefined
  /** Counts wishes; only the latest counts. */
  private serial = 0
  private isRunning = false
  /** The request that a newer wish gives up. */
  private unwanted: number | undefined
  private thumbsAsked: number | undefined
  private aheadAsked: number | undefined
  private sideAsked: number | undefined
  private isThere = false
  /** What is seen alone has been made of this wish, or the whole. */
  private made: { readonly serial: number; readonly part?: Part | undefined } | undefined
  /** By size; not known yet: a small picture comes first. */
  private readonly tookMs: Partial<Record<Reduction, number>> = {}
  /** The picture on its way is smaller than wanted, as memory ran out. */
  private isShort = false

  constructor(private readonly listener: EngineListener) {
    this.link = new EngineLink((isBack, message) => {
      this.isRunning = false
      if (!isBack) this.listener.onFailed(message)
      else if (this.wanted) this.show(this.wanted)
    })
  }

  /** What the engine has taken of the memory it may have, in bytes. */
  get memoryUse(): { readonly bytes: number; readonly mostBytes: number } {
    return this.link.memoryUse
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
    for (const id of [this.unwanted, this.thumbsAsked, this.aheadAsked, this.sideAsked])
      if (id !== undefined) this.link.giveUp(id)
    this.isThere = isThere
    if (!this.isRunning) this.run(this.firstReduction())
  }

  histogram(
    { frame, ...work }: AtFrame,
    target: Target,
    byMost: boolean,
  ): Promise<LuminanceHistogram | undefined> {
    return this.link.chart('histogram', work, { frame, target, byMost })
  }

  /** A second picture; undefined where it can not be made, and where another one, or another picture, was asked for since. */
  async side(
    { frame, ...work }: AtFrame,
    target: Target,
    view: DisplayOptions,
    { reduction = 1, seen, isLast }: Pick<Wish<'side'>, 'reduction' | 'seen' | 'isLast'> = {},
  ): Promise<Answer<'side'> | undefined> {
    if (this.sideAsked !== undefined) this.link.giveUp(this.sideAsked)
    const { id, answer } = this.link.ask(
      'side',
      work,
      { frame, target, view, reduction, seen, isLast },
      'picture',
    )
    this.sideAsked = id
    try {
      return await answer
    } catch (error) {
      if (!(error instanceof Cancelled)) console.warn('The other side could not be made:', error)
      return undefined
    }
  }

  /** A picture at full size as an EXR file; undefined where it can not be made. */
  exr({ frame, ...work }: AtFrame, target: Target): Promise<Uint8Array<ArrayBuffer> | undefined> {
    return this.link.chart('exr', work, { frame, target })
  }

  /** A scope of a picture; undefined where it can not be made. */
  scope(
    { frame, ...work }: AtFrame,
    target: Target,
    scope: ScopeKind,
    { region, reduction }: { readonly region?: ScopeRegion | undefined; readonly reduction?: Reduction } = {},
  ): Promise<{ readonly scope: Scope; readonly tookMs: number } | undefined> {
    return this.link.chart('scope', work, { frame, target, scope, region, reduction })
  }

  /** Where the values of a pass or a feed lie; undefined where it can not be loaded. */
  values({ frame, ...work }: AtFrame, target: Target): Promise<ValueHistogram | undefined> {
    return this.link.chart('values', work, { frame, target })
  }

  /** Values under a pixel of the full frame; undefined outside the picture. */
  probe(
    { frame, ...work }: AtFrame,
    x: number,
    y: number,
    { of, isExact = false }: { readonly of?: Target | undefined; readonly isExact?: boolean } = {},
  ): Promise<Probed | undefined> {
    return this.link.chart('probe', work, { frame, x, y, of, isExact }, 'measures')
  }

  /** A picture made ahead for playing; undefined where it can not be made or was given up. */
  async ahead(
    { frame, ...work }: AtFrame,
    wish: Omit<Wish<'ahead'>, 'frame'>,
  ): Promise<Answer<'ahead'> | undefined> {
    const { id, answer } = this.link.ask('ahead', work, { frame, ...wish }, 'ahead')
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
    if (this.aheadAsked !== undefined) this.link.giveUp(this.aheadAsked)
  }

  /** Where something is, or how bright, on some frames; undefined where it can not be told. */
  readings(
    { comp, media }: Work,
    of: Wish<'readings'>['of'],
    frames: readonly number[],
  ): Promise<Answer<'readings'> | undefined> {
    return this.link.chart('readings', { comp, media }, { of, frames }, 'ahead')
  }

  /** Small pictures of other comps of the same shot; undefined for those that can not be made. */
  previews(
    { frame, ...work }: AtFrame,
    comps: readonly Comp[],
    target: Target,
    width: number,
  ): Promise<readonly (Thumb | undefined)[] | undefined> {
    return this.link.chart('previews', work, { frame, comps, target, width }, 'thumbnails')
  }

  /** Readable small pictures of every pass of the media; those that can not be loaded are left out. */
  async passes({ frame, ...work }: AtFrame, width: number): Promise<readonly PassThumb[]> {
    return (await this.link.chart('passes', work, { frame, width }, 'thumbnails')) ?? []
  }

  close(): void {
    this.link.close()
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
    // Of what is too large, the same part follows with finer light from far away.
    const isLast = this.made?.serial === serial
    const isPart = reduction === 1 && this.isPartial() && (!isLast || isHuge(comp))
    const part = isPart ? { seen, isLast } : {}
    this.isRunning = true
    const mayEnd = (isFollowing || !isProxy) && (this.expectedMs(reduction) ?? 1000) >= directMs
    this.link.countPicture()
    const asked = this.link.ask(
      'show',
      { comp, media },
      { ...wish, ...part, reduction, isProxy, finest },
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
    const { id, answer } = this.link.ask(
      'thumbs',
      { comp, media },
      { frame, width: thumbWidth },
      'thumbnails',
    )
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
}

import type { Codes, Wish } from '../../core/engine/session/requests.ts'
import { reductionsOf, type Reduction } from '../../core/engine/work-area.ts'
import type { AtFrame, EngineClient } from '../engine/engine-client.ts'
import { FrameCache } from './frame-cache.ts'
import { playedOn, playOrder, type PlayMode, type PlayPlace, type PlayRange } from './play-order.ts'

/** What is played: the shot and how it is looked at; undefined while what is looked at can not be kept ready. */
export interface Played {
  readonly work: Omit<AtFrame, 'frame'>
  readonly wish: Omit<Wish<'ahead'>, 'frame' | 'known' | 'next'>
}

export interface PlayerState {
  readonly frame: number
  readonly range: PlayRange
  readonly mode: PlayMode
  /** Frames a second. */
  readonly rate: number
  /** Each frame is shown, however long it takes. */
  readonly isEvery: boolean
  /** Something is moved by hand: time goes on whether frames are ready or not. */
  readonly isRiding: boolean
  /** Somebody works on the picture: nothing is made ahead now. */
  readonly isBusy: boolean
  readonly played: Played | undefined
}

export interface PlayerListener {
  state(): PlayerState
  /** A frame that is ready takes the place of the picture. */
  present(codes: Codes, frame: number, isPlaying: boolean): void
  /** It plays on to a frame that is to be made as it can. */
  pass(frame: number): void
  /** Which frames are ready has changed. */
  onReady(frames: readonly number[]): void
  onEnded(): void
}

/** Frames of a playing that were shown, and that came too late to be. */
export interface PlayCount {
  readonly shown: number
  readonly late: number
}

/** A frame that is to be made, or asked whether it is still what it was. */
interface Task {
  readonly frame: number
  readonly next: number | undefined
  readonly order: readonly number[]
  readonly reduction: Reduction
  readonly isAsked: boolean
}

/** After an edit nothing is made ahead for so long. */
const restMs = 350
/**
 * Files that come within so long of each other, but not at once, are being rendered: until so long after the last of them the machine is theirs, and
 * nothing is made ahead unless it plays.
 */
const [togetherMs, streamMs, comingMs] = [2_000, 60_000, 45_000]

/** After so many frames in a row that were not made it waits for a change. */
const mostMisses = 5

/** Makes frames ahead of the playhead while nobody works on the picture, and plays those that are ready in time. */
export class Player {
  readonly cache: FrameCache
  private place: PlayPlace = { frame: 0, by: 1 }
  private startedAt = 0
  private steps = 0
  private isPlaying = false
  private counted = { shown: 0, late: 0 }
  private isFilling = false
  /** It was asked to go on while it was at it: what is being made may just be given up. */
  private isAgain = false
  /** Frames in a row that were given up, or could not be made. */
  private misses = 0
  /** Rises with each change of what is played: what was asked for before it counts no more. */
  private round = 0
  private changedAt = -Infinity
  private cameAt = -Infinity
  private isStream = false
  private timer: ReturnType<typeof setTimeout> | undefined
  private closed = false

  constructor(
    private readonly engine: Pick<EngineClient, 'ahead' | 'stopAhead'>,
    private readonly listener: PlayerListener,
    budgetBytes: number,
    private readonly now: () => number = () => performance.now(),
    private readonly nextTick: (run: () => void) => void = (run) => {
      requestAnimationFrame(run)
    },
  ) {
    this.cache = new FrameCache(budgetBytes)
  }

  get count(): PlayCount {
    return this.counted
  }
  /** How many ready frames are as sharp as they are seen; the others were made smaller first. */
  get sharpCount(): number {
    const seen = this.listener.state().played?.wish.reduction ?? 1
    return this.cache.frames.filter((f) => this.cache.reductionOf(f)! <= seen).length
  }

  /** The picture of some or all frames may have changed: by somebody who may go on, or by files that came. */
  changed(bySomebody = true): void {
    this.round++
    this.misses = 0
    if (bySomebody) this.changedAt = this.now()
    else {
      const since = this.now() - this.cameAt
      if (since > togetherMs) this.isStream = since < streamMs
      this.cameAt = this.now()
    }
    const known = this.cache.frames.length
    this.cache.doubt()
    if (this.cache.frames.length !== known) this.told()
    this.fillSoon()
  }

  /** Somebody works on the screen: what is made ahead gives way at once. */
  touched(): void {
    if (this.isPlaying) return
    this.changedAt = this.now()
    if (this.isFilling) this.engine.stopAhead()
    this.fillSoon()
  }

  /** Nobody works on the picture any more. */
  rested(): void {
    this.fillSoon()
  }

  /** Shows a frame at once where it is ready; false where it is not. */
  showReady(frame: number): boolean {
    const codes = this.cache.find(frame)
    if (codes) this.listener.present(codes, frame, this.isPlaying)
    this.fillSoon()
    return codes !== undefined
  }

  play(): void {
    const { frame, range, mode } = this.listener.state()
    // From its end it begins anew.
    const isOver = mode === 'once' && frame >= range.last
    this.place = { frame: isOver || frame < range.first || frame > range.last ? range.first : frame, by: 1 }
    this.isPlaying = true
    this.counted = { shown: 0, late: 0 }
    // What can be played already is only made finer: that gives way, as the machine has to show frames in time now.
    const isReady = playOrder(this.place, range, mode).every((f) => this.cache.isSure(f))
    if (this.isFilling && isReady) this.engine.stopAhead()
    this.startedAt = this.now()
    this.steps = 0
    this.nextTick(() => {
      this.tick()
    })
    this.fillSoon()
  }

  /** Plays on from another frame. */
  goTo(frame: number): void {
    this.place = { frame, by: 1 }
    this.startedAt = this.now()
    this.steps = 0
  }

  stop(): void {
    this.isPlaying = false
  }

  close(): void {
    this.closed = true
    this.stop()
    clearTimeout(this.timer)
    this.cache.clear()
  }

  private tick(): void {
    if (!this.isPlaying || this.closed) return
    const { rate, range, mode, isEvery, isRiding } = this.listener.state()
    const due = Math.floor(((this.now() - this.startedAt) * rate) / 1000)
    const steps = isEvery ? Math.min(due, this.steps + 1) : due
    this.nextTick(() => {
      this.tick()
    })
    if (steps > this.steps) this.advance(steps - this.steps, range, mode, rate, isEvery, isRiding)
  }

  private advance(
    by: number,
    range: PlayRange,
    mode: PlayMode,
    rate: number,
    isEvery: boolean,
    isRiding: boolean,
  ): void {
    const to = playedOn(this.place, by, range, mode)
    if (!to) {
      this.isPlaying = false
      this.listener.onEnded()
      return
    }
    if (isRiding) {
      this.steps += by
      this.place = to
      this.listener.pass(to.frame)
      return
    }
    const codes = this.cache.find(to.frame)
    if (!codes) {
      // It waits before a frame that is not ready; the time that this takes does not count.
      const next = playedOn(this.place, 1, range, mode)
      const ready = next && this.cache.find(next.frame)
      this.startedAt = this.now() - (this.steps * 1000) / rate
      if (next && ready) this.present(next, ready, 1)
      else this.fillSoon()
      return
    }
    if (isEvery && by === 1 && this.now() - this.startedAt > ((this.steps + 3) * 1000) / rate)
      this.startedAt = this.now() - ((this.steps + 1) * 1000) / rate
    this.present(to, codes, by)
  }

  private present(to: PlayPlace, codes: Codes, by: number): void {
    this.steps += by
    this.counted = { shown: this.counted.shown + 1, late: this.counted.late + by - 1 }
    this.place = to
    this.listener.present(codes, to.frame, true)
  }

  private told(): void {
    this.listener.onReady(this.cache.frames)
  }

  /** Milliseconds until frames may be made ahead; 0 where they may now. */
  private restLeft(): number {
    const afterEdit = restMs - (this.now() - this.changedAt)
    const afterFiles = this.isStream && !this.isPlaying ? comingMs - (this.now() - this.cameAt) : 0
    return Math.max(0, afterEdit, afterFiles)
  }

  private fillSoon(): void {
    if (this.isFilling) this.isAgain = true
    if (this.isFilling || this.closed) return
    clearTimeout(this.timer)
    const rest = this.restLeft()
    this.timer = setTimeout(() => void this.fill(), rest)
  }

  /**
   * What is to be made next: what is kept and may have changed is asked for first, then what is missing is made small, so that all can be
   * played soon, and at last everything at the size that it is seen.
   */
  private missing({ work, wish: { reduction: seen } }: Played): Task | undefined {
    const { range, mode, frame } = this.listener.state()
    const place = this.isPlaying ? this.place : ({ frame, by: 1 } as const)
    const order = playOrder(place, range, mode)
    // Half as large as it is seen, where it can be.
    const quick = reductionsOf(work.comp).find((r) => r > seen) ?? seen
    const doubted = order.find((f) => !this.cache.isSure(f) && this.cache.keyOf(f) !== undefined)
    if (doubted !== undefined)
      return {
        frame: doubted,
        next: undefined,
        order,
        reduction: this.cache.reductionOf(doubted)!,
        isAsked: true,
      }
    const task = (open: readonly number[], reduction: Reduction): Task | undefined =>
      open[0] === undefined ? undefined : { frame: open[0], next: open[1], order, reduction, isAsked: false }
    const absent = order.filter((f) => !this.cache.isSure(f))
    // When room is short, only what comes before the furthest that is kept is made.
    const furthest = this.cache.hasRoom
      ? Infinity
      : Math.max(...this.cache.frames.map((f) => order.indexOf(f)), -1)
    const near = absent.filter((f) => order.indexOf(f) <= furthest)
    // While it plays nothing is made that could be played already.
    if (this.isPlaying) return task(near, quick)
    return (
      task(near, quick) ??
      task(
        order.filter((f) => this.cache.isSure(f) && this.cache.reductionOf(f)! > seen),
        seen,
      )
    )
  }

  private async fill(): Promise<void> {
    if (this.isFilling) return
    this.isFilling = true
    let told = this.now()
    /** It was too early: time may have gone on to the end of the rest since. */
    let isResting = false
    try {
      for (;;) {
        const { isBusy, played } = this.listener.state()
        const wanted = played && this.missing(played)
        isResting = this.restLeft() > 0
        if (this.closed || isBusy || !played || !wanted || isResting) break
        const { round } = this
        const { frame, next, reduction, isAsked, order } = wanted
        const known = this.cache.keyOf(frame)
        const made = await this.engine.ahead(
          { ...played.work, frame },
          { ...played.wish, reduction, next, ...(isAsked && { known, isAsked }) },
        )
        if (round !== this.round) {
          // It may be what it was: it is asked for again, not made.
          if (made?.codes) this.cache.put(frame, made.key, made.codes, reduction, order, false)
          continue
        }
        // What can not be made is told where it is looked at; what was given up for a picture is gone on with.
        if (!made) {
          this.misses++
          break
        }
        this.misses = 0
        if (made.codes) this.cache.put(frame, made.key, made.codes, reduction, order)
        else if (made.key === known) this.cache.confirm(frame)
        else this.cache.drop(frame)
        if (made.codes || this.now() - told > 100) {
          told = this.now()
          this.told()
        }
      }
    } finally {
      this.isFilling = false
      this.told()
      const { isBusy, played } = this.listener.state()
      // Somebody works: it is looked for again when that is over, however late the answer came.
      const isMissed = this.misses > 0 && this.misses < mostMisses
      const isLater = this.isAgain || isMissed || isResting
      this.isAgain = false
      if (!this.closed && played && !isBusy && isLater) this.fillSoon()
    }
  }
}

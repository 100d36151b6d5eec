import { shallow } from 'zustand/shallow'
import { frameNumbers, type MediaTable } from '../../core/comp/media.ts'
import type { Comp } from '../../core/comp/schema.ts'
import { putSetting } from '../../core/comp/settings.ts'
import type { Codes, Overlay } from '../../core/engine/session/requests.ts'
import { isHuge, largestSmaller, reductionsOf, type Reduction } from '../../core/engine/work-area.ts'
import type { EngineClient, Wanted } from '../engine/engine-client.ts'
import { sideTarget } from '../picture/compare.ts'
import { Player, type Played } from '../playing/player.ts'
import type { Ridden } from '../timing/timing-state.ts'
import type { ShotState, ShotStore } from './shot-store.ts'
import { viewTarget } from './view-target.ts'

/** What is shown with the picture: what a threshold catches, objects to be picked, a matte. */
function overlayOf({
  catching,
  picking,
  hoveredMatte,
  matteView,
  selection,
  shownPass,
}: ShotState): Overlay | undefined {
  if (catching) return { target: { type: 'caught', step: catching }, as: 'overlay' }
  if (shownPass) return undefined
  if (picking?.over) return { target: { type: 'pass', ...picking.over }, as: 'ids' }
  const of = hoveredMatte ?? (matteView ? selection : undefined)
  if (!of) return undefined
  const { lane, step } = of
  const target = { type: 'matte', lane, ...(step === undefined ? {} : { step }) } as const
  return { target, as: hoveredMatte ? 'overlay' : (matteView ?? 'overlay') }
}

/** The picture that a state of the screen asks for. */
function wantedOf(now: ShotState): Wanted {
  const state = now.riding ? { ...now, comp: riddenNow(now.comp, now.riding.values()) } : now
  const { comp, target } = state.shownPass
    ? { comp: state.comp, target: { type: 'pass', ...state.shownPass } as const }
    : ((state.viewMode === 'picture' && state.compare ? sideTarget(state, state.compare.left) : undefined) ??
      viewTarget(state.comp, state.viewMode, state.selection))
  const view = { gain: 2 ** state.exposure, channel: state.channel, checker: state.isCheckered ? 8 : 0 }
  const { media, frame, hasWarnings } = state
  const finest = seenReduction(state)
  const seen = finest === 1 && state.seen ? { seen: state.seen } : {}
  return { comp, target, media, frame, view, overlay: overlayOf(state), hasWarnings, finest, ...seen }
}

/** The comp with what is moved by hand where the hand is. */
const riddenNow = (comp: Comp, riding: Iterable<Ridden>): Comp =>
  [...riding].reduce((c, { ref, value }) => putSetting(c, ref, value), comp)

/** All that the picture depends on but the frame. */
const looked = (s: ShotState) =>
  [
    s.comp,
    s.media,
    s.viewMode,
    s.exposure,
    s.channel,
    s.isCheckered,
    s.shownPass,
    s.compare?.left,
    s.matteView,
    s.hoveredMatte,
    s.picking?.over,
    s.hasWarnings,
    s.catching,
    s.viewMode === 'picture' && !s.matteView && s.compare?.left !== 'before' ? 0 : s.selection,
  ] as const

/** The smallest size that has a pixel for each of the screen's (which `zoom` counts); a little less is not seen. */
export function seenReduction({ zoom, comp }: Pick<ShotState, 'zoom' | 'comp'>): Reduction {
  return reductionsOf(comp).findLast((r) => r * zoom <= 1.04) ?? 1
}

/** What can be kept ready and played: the picture itself, with nothing laid over it and no second one beside it. */
function playedOf(state: ShotState): Played | undefined {
  const { overlay, hasWarnings, comp, media, target, view } = wantedOf(state)
  if (overlay || hasWarnings || state.compare || state.shownPass) return undefined
  const seen = seenReduction(state)
  // Of frames too large to be made whole a smaller one is played.
  const reduction = seen === 1 && isHuge(comp) ? largestSmaller(comp) : seen
  return { work: { comp, media }, wish: { target, view, reduction } }
}

/** Frame numbers for which every sequence of a shot has a file of its own. */
export function framesThere(media: MediaTable, { first, last }: Comp['frames']): ReadonlySet<number> {
  // A shot of one frame is made of what there is, whatever its numbers.
  if (first === last) return new Set([first])
  const all = Object.values(media).map((m) => new Set(frameNumbers(m)))
  // A still serves every frame, whatever its number.
  const moving = all.filter((frames) => frames.size > 1)
  const sequences = moving.length > 0 ? moving : all
  const [one, ...others] = sequences
  // Without media there is nothing that could be missing.
  if (!one) return new Set(Array.from({ length: last - first + 1 }, (_, i) => first + i))
  return new Set([...one].filter((n) => others.every((frames) => frames.has(n) || frames.size === 1)))
}

/** The part that is played. */
export function playedRange({ playRange, comp }: Pick<ShotState, 'playRange' | 'comp'>) {
  const { first, last } = comp.frames
  if (!playRange || playRange.last < first || playRange.first > last) return { first, last }
  return { first: Math.max(first, playRange.first), last: Math.min(last, playRange.last) }
}

export interface Followed {
  readonly player: Player
  stop(): void
}

/** Follows the state with an engine: whatever changes the picture asks for a new one, and frames are made ahead. */
export function followPicture(
  store: ShotStore,
  engine: EngineClient,
  drawFrame: (codes: Codes, frame: number) => void,
): Followed {
  const { set } = store.getState()
  const player = new Player(
    engine,
    {
      state: () => {
        const state = store.getState()
        const { frame, playMode, isEveryFrame, isBusy, isPlaying, comp } = state
        return {
          frame,
          range: playedRange(state),
          mode: playMode,
          rate: comp.frames.rate,
          isEvery: isEveryFrame,
          isRiding: state.riding !== undefined,
          // While it plays nothing else is asked for.
          isBusy: isBusy && !isPlaying,
          played: comp.frames.last > comp.frames.first ? playedOf(state) : undefined,
        }
      },
      present: (codes, frame, isPlaying) => {
        drawFrame(codes, frame)
        // All else stays on its frame until it stops: drawing dials and desk anew for each would make frames late.
        if (isPlaying) set({ playhead: frame })
      },
      pass: (frame) => {
        set({ frame, playhead: frame })
      },
      onReady: (frames) => {
        set({ ready: new Set(frames) })
      },
      onEnded: () => {
        set({ isPlaying: false })
      },
    },
    store.getState().cacheMb * 2 ** 20,
  )
  const settle = () => {
    const state = store.getState()
    // What is moved by hand is not in the frames that are ready.
    engine.show(wantedOf(state), !state.riding && player.showReady(state.frame))
  }
  engine.show(wantedOf(store.getState()))
  player.changed()
  const stop = store.subscribe((now, before) => {
    const isLooked = !shallow(looked(now), looked(before))
    const hasSize = seenReduction(now) !== seenReduction(before)
    const isFiner = seenReduction(now) < seenReduction(before)
    if (now.cacheMb !== before.cacheMb) player.cache.budgetBytes = now.cacheMb * 2 ** 20
    const byFiles = now.media !== before.media && now.comp === before.comp
    if (isLooked || hasSize) player.changed(!byFiles)
    if (now.isPlaying !== before.isPlaying) {
      if (!now.isPlaying) {
        player.stop()
        const { playhead } = now
        set({ playhead: undefined, ...(playhead !== undefined && { frame: playhead }) })
        settle()
        return
      }
      if (playedOf(now)) player.play()
    }
    // A playing picture is shown by the player, unless it is looked at in a way that can not be kept ready.
    const isPlayed = now.isPlaying && !now.riding && playedOf(now) !== undefined
    if (isLooked) engine.show(wantedOf(now))
    // What is there stays until it is there at the size that is looked at now.
    else if ((isFiner || (hasSize && engine.isPart)) && !now.isPlaying) engine.show(wantedOf(now), true)
    else if (now.seen !== before.seen && !now.isPlaying) engine.lookAt(wantedOf(now).seen)
    else if (now.frame !== before.frame && isPlayed) player.goTo(now.frame)
    else if (now.frame !== before.frame) settle()
    if (before.isBusy && !now.isBusy) player.rested()
  })
  // Whatever is dragged, scrolled or moved about must not stand still for frames that nobody waits for.
  const listening = new AbortController()
  const touched = (event: Event) => {
    if (event.type !== 'pointermove' || (event as PointerEvent).buttons > 0) player.touched()
  }
  for (const type of ['pointerdown', 'pointermove', 'wheel', 'scroll'])
    window.addEventListener(type, touched, { capture: true, passive: true, signal: listening.signal })
  return {
    player,
    stop: () => {
      listening.abort()
      stop()
      player.close()
    },
  }
}

/** Plays what the player can not keep ready: the next frame is asked for when this one has been shown, and not before its time. */
export function playSlowly(store: ShotStore, onPicture: (listener: () => void) => () => void): () => void {
  let timer: ReturnType<typeof setTimeout> | undefined
  let shownAt = performance.now()
  const next = () => {
    const state = store.getState()
    if (!state.isPlaying || playedOf(state)) return
    const { first, last } = playedRange(state)
    const there = framesThere(state.media, state.comp.frames)
    const length = last - first + 1
    const order = Array.from(
      { length },
      (_, i) => first + ((Math.max(first, state.frame) - first + 1 + i) % length),
    )
    state.set({ frame: order.find((n) => there.has(n)) ?? state.frame })
  }
  const stopPictures = onPicture(() => {
    clearTimeout(timer)
    const { isPlaying, comp } = store.getState()
    if (!isPlaying) return
    const rest = 1000 / comp.frames.rate - (performance.now() - shownAt)
    timer = setTimeout(
      () => {
        shownAt = performance.now()
        next()
      },
      Math.max(0, rest),
    )
  })
  const stopState = store.subscribe((now, before) => {
    if (now.isPlaying && !before.isPlaying) next()
  })
  return () => {
    stopPictures()
    stopState()
    clearTimeout(timer)
  }
}

'use client'

import { Hexagon, Pause, Play } from 'lucide-react'
import { memo, useEffect, useMemo, useRef, type PointerEvent } from 'react'
import { PlayOptions } from '../playing/play-options.tsx'
import { useShortcut } from '../shortcuts/use-shortcut.ts'
import { framesThere } from './follow-picture.ts'
import { useShot, useShotContext } from './shot-context.tsx'
import { ShotFrames } from './shot-frames.tsx'
import { useShownFrame } from './use-setting.ts'

/** Frame numbers for which every sequence of the shot has a file of its own. */
export function useFramesThere(): ReadonlySet<number> {
  const media = useShot((s) => s.media)
  const frames = useShot((s) => s.comp.frames)
  return useMemo(() => framesThere(media, frames), [media, frames])
}

/** The frames of the shot: which are there, which one is shown; steps, jumps and plays. */
export function Transport() {
  const { store } = useShotContext()
  const { set } = store.getState()
  const frame = useShot((s) => s.frame)
  const { first, last } = useShot((s) => s.comp.frames)
  const there = useFramesThere()
  const ready = useShot((s) => s.ready)
  const range = useShot((s) => s.playRange)
  const rangeFrom = useRef<number>(undefined)
  const isPlaying = useShot((s) => s.isPlaying)
  const count = last - first + 1
  // An undo may take the frame that is looked at away.
  useEffect(() => {
    const held = Math.min(last, Math.max(first, frame))
    if (held !== frame) set({ frame: held })
  }, [first, last, frame, set])

  const autoKey = useShot((s) => s.autoKey)
  const toggleAutoKey = () => {
    set({ autoKey: !store.getState().autoKey })
  }
  useShortcut('autoKey', toggleAutoKey)
  const togglePlay = () => {
    set({ isPlaying: !store.getState().isPlaying && count > 1 })
  }
  const stepBy = (by: number) => () => {
    set({ frame: Math.min(last, Math.max(first, store.getState().frame + by)) })
  }
  /** The part that is played begins or ends here; where it did already, it is all of that side again. */
  const playPart = (end: 'first' | 'last') => () => {
    const state = store.getState()
    const at = state.playhead ?? state.frame
    const now = state.playRange ?? { first, last }
    const next = { ...now, [end]: now[end] === at ? (end === 'first' ? first : last) : at }
    const isAll = next.first === first && next.last === last
    if (next.first <= next.last) set({ playRange: isAll ? undefined : next })
  }
  useShortcut('playFrom', playPart('first'))
  useShortcut('playTo', playPart('last'))
  useShortcut('frameBack', stepBy(-1))
  useShortcut('frameOn', stepBy(1))
  useShortcut('play', () => {
    togglePlay()
  })

  const frameOf = (event: { clientX: number; currentTarget: HTMLElement }) => {
    const box = event.currentTarget.getBoundingClientRect()
    const at = Math.floor(((event.clientX - box.left) / box.width) * count)
    return first + Math.min(count - 1, Math.max(0, at))
  }
  const jump = (event: PointerEvent<HTMLDivElement>) => {
    if (event.type === 'pointermove' && event.buttons === 0) return
    const to = frameOf(event)
    if (event.type === 'pointerdown') rangeFrom.current = event.shiftKey ? to : undefined
    const from = rangeFrom.current
    if (from !== undefined && from !== to)
      set({ playRange: { first: Math.min(from, to), last: Math.max(from, to) } })
    set({ frame: to })
  }
  const place = (n: number) => `${((n - first) / count) * 100}%`
  return (
    <div className="flex items-center gap-2">
      <button
        type="button"
        className="btn btn-ghost btn-xs btn-square"
        aria-label={isPlaying ? 'Stop playing' : 'Play'}
        title="Play (P)"
        disabled={count < 2}
        onClick={() => {
          togglePlay()
        }}
      >
        {isPlaying ? <Pause size={14} aria-hidden /> : <Play size={14} aria-hidden />}
      </button>
      <PlayOptions />
      <div
        role="slider"
        tabIndex={0}
        aria-label="Frame"
        aria-valuemin={first}
        aria-valuemax={last}
        aria-valuenow={frame}
        aria-valuetext={`frame ${frame}, ${[...there].filter((n) => n >= first && n <= last).length} of ${count} are there, ${ready.size} ready to play`}
        title="Frames: lit where all media have one, high where ready to play. , and . step. Shift and drag chooses what is played; double-click plays all."
        className="relative flex h-5 w-56 cursor-pointer touch-none items-end gap-px"
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId)
          jump(event)
        }}
        onPointerMove={jump}
        onDoubleClick={() => {
          set({ playRange: undefined })
        }}
        onKeyDown={(event) => {
          const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key]
          if (!by) return
          event.preventDefault()
          event.stopPropagation()
          set({ frame: Math.min(last, Math.max(first, frame + by)) })
        }}
      >
        <FrameMarks count={count} first={first} />
        {range && (
          <span
            className="absolute top-0 h-1.5 border-x-2 border-t border-white/70"
            style={{
              left: place(range.first),
              width: `calc(${place(range.last + 1)} - ${place(range.first)})`,
            }}
          />
        )}
        <PlayLine first={first} count={count} />
      </div>
      <ShotFrames there={there} />
      <button
        type="button"
        className={`btn btn-xs shrink-0 gap-1 px-1.5 ${autoKey ? 'btn-accent' : 'btn-ghost text-base-content/60'}`}
        aria-label="Auto key"
        aria-pressed={autoKey}
        title={
          autoKey
            ? 'Auto key is on: a change sets a key on this frame (K)'
            : 'Auto key: while on, changes set keys on the frame that is looked at (K)'
        }
        onClick={toggleAutoKey}
      >
        <Hexagon size={12} fill={autoKey ? 'currentColor' : 'none'} aria-hidden />
        Auto key
      </button>
    </div>
  )
}

/** Marks of frames: at most 96, of which one in a long shot stands for several and is lit when all of them are. */
const FrameMarks = memo(function FrameMarks({ count, first }: { count: number; first: number }) {
  const there = useFramesThere()
  const ready = useShot((s) => s.ready)
  const marks = Math.min(96, count)
  const isWhole = (mark: number, all: ReadonlySet<number>) => {
    const from = first + Math.floor((mark * count) / marks)
    const to = first + Math.floor(((mark + 1) * count) / marks)
    for (let n = from; n < Math.max(to, from + 1); n++) if (!all.has(n)) return false
    return true
  }
  return Array.from({ length: marks }, (_, mark) => (
    <span
      key={mark}
      className={`flex-1 ${isWhole(mark, ready) ? 'h-2.5 bg-accent' : isWhole(mark, there) ? 'h-1.5 bg-accent/50' : 'h-1.5 bg-base-content/15'}`}
    />
  ))
})

function PlayLine({ first, count }: { first: number; count: number }) {
  const frame = useShownFrame()
  return (
    <span
      className="absolute inset-y-0 w-0.5 -translate-x-1/2 bg-white"
      style={{ left: `${((frame - first + 0.5) / count) * 100}%` }}
    />
  )
}

'use client'

import { useEffect, useRef, type PointerEvent } from 'react'
import { useFramesThere } from '../shot/transport.tsx'
import { useShot, useShotContext } from '../shot/shot-context.tsx'
import { useShownFrame } from '../shot/use-setting.ts'
import { setTiming } from './edit-keys.ts'
import { leftWidth } from './strip.tsx'
import { spanOf, zoomedSpan } from './timing-state.ts'

/** A round number of frames between two marks, so that their labels have room. */
function markEvery(framesPerPixel: number): number {
  const least = framesPerPixel * 44
  return (
    [1, 2, 5, 10, 20, 50, 100, 200, 500, 1000, 2000, 5000, 10_000, 20_000].find((n) => n >= least) ?? 50_000
  )
}

/** Frames of the strips: which are there, which are ready, the part that is played, and the playhead to drag. Wheel: on and back; with Ctrl: closer. */
export function Ruler({ width }: { width: number }) {
  const { store } = useShotContext()
  const { set } = store.getState()
  const frames = useShot((s) => s.comp.frames)
  const frame = useShot((s) => s.frame)
  const timing = useShot((s) => s.timing)
  const ready = useShot((s) => s.ready)
  const range = useShot((s) => s.playRange)
  const there = useFramesThere()
  const box = useRef<HTMLDivElement>(null)
  const marked = useRef<number>(undefined)
  const span = spanOf(timing, frames)
  const [from, to] = span
  const x = (f: number) => ((f - from) / (to - from)) * width
  const every = markEvery((to - from) / width)
  const firstMark = Math.ceil(Math.max(from, frames.first) / every) * every
  const marks: number[] = []
  for (let f = firstMark; f <= Math.min(to, frames.last); f += every) marks.push(f)
  const frameUnder = (event: { clientX: number }) => {
    const { left } = box.current!.getBoundingClientRect()
    const at = Math.round(from + ((event.clientX - left) / width) * (to - from))
    return Math.min(frames.last, Math.max(frames.first, at))
  }
  const jump = (event: PointerEvent) => {
    if (event.type === 'pointermove' && event.buttons === 0) return
    const at = frameUnder(event)
    if (event.type === 'pointerdown') marked.current = event.shiftKey ? at : undefined
    const start = marked.current
    if (start !== undefined && start !== at)
      set({ playRange: { first: Math.min(start, at), last: Math.max(start, at) } })
    set({ frame: at })
  }
  useEffect(() => {
    const element = box.current
    if (!element) return
    const wheel = (event: WheelEvent) => {
      event.preventDefault()
      const state = store.getState()
      const now = spanOf(state.timing, state.comp.frames)
      const { left } = element.getBoundingClientRect()
      const about = now[0] + ((event.clientX - left) / width) * (now[1] - now[0])
      const isZoom = event.ctrlKey || event.metaKey
      const by = ((event.deltaX || event.deltaY) / width) * (now[1] - now[0])
      const next = isZoom
        ? zoomedSpan(now, Math.exp(event.deltaY * 0.002), about, 0, state.comp.frames)
        : zoomedSpan(now, 1, about, by, state.comp.frames)
      setTiming(store, { span: next })
    }
    element.addEventListener('wheel', wheel, { passive: false })
    return () => {
      element.removeEventListener('wheel', wheel)
    }
  }, [store, width])
  /** Runs of frames, so that a long shot has few parts. */
  const runs = (all: ReadonlySet<number>) => {
    const found: [number, number][] = []
    for (const f of [...all].filter((n) => n >= frames.first && n <= frames.last).sort((a, b) => a - b)) {
      const last = found.at(-1)
      if (last && last[1] === f - 1) last[1] = f
      else found.push([f, f])
    }
    return found
  }
  const bar = ([a, b]: readonly [number, number], className: string, key: string) => {
    const [left, right] = [Math.max(0, x(a - 0.5)), Math.min(width, x(b + 0.5))]
    return (
      right > left && (
        <span key={key} className={`absolute ${className}`} style={{ left, width: right - left }} />
      )
    )
  }
  return (
    <div className="relative flex h-7 shrink-0 border-b border-base-300 text-[11px] text-base-content/60">
      <div className="shrink-0" style={{ width: leftWidth }} />
      <div
        ref={box}
        role="slider"
        tabIndex={0}
        aria-label="Frames of the strips"
        aria-valuemin={frames.first}
        aria-valuemax={frames.last}
        aria-valuenow={frame}
        title="Drag to look at a frame · Shift and drag chooses what is played · wheel goes along, Ctrl and wheel closer · double-click shows all"
        className="relative cursor-pointer touch-none overflow-hidden"
        style={{ width }}
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId)
          jump(event)
        }}
        onPointerMove={jump}
        onDoubleClick={() => {
          set({ playRange: undefined })
          setTiming(store, { span: undefined })
        }}
        onKeyDown={(event) => {
          const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key]
          const end = { Home: frames.first, End: frames.last }[event.key]
          const scale = { '+': 0.8, '=': 0.8, '-': 1.25 }[event.key]
          if (by) set({ frame: Math.min(frames.last, Math.max(frames.first, frame + by)) })
          else if (end !== undefined) set({ frame: end })
          else if (scale) setTiming(store, { span: zoomedSpan(span, scale, frame, 0, frames) })
          else return
          event.preventDefault()
          event.stopPropagation()
        }}
      >
        {range &&
          bar([range.first, range.last], 'top-0 h-full bg-white/10 border-x border-white/50', 'range')}
        {runs(there).map((run) => bar(run, 'bottom-0 h-1 bg-accent/35', `there ${run[0]}`))}
        {runs(ready).map((run) => bar(run, 'bottom-0 h-1 bg-accent', `ready ${run[0]}`))}
        {marks.map((f) => (
          <span
            key={f}
            className="absolute top-1 border-l border-base-content/25 pl-1 leading-4"
            style={{ left: x(f) }}
          >
            {f}
          </span>
        ))}
        <ShownFrame from={from} to={to} width={width} />
      </div>
    </div>
  )
}

/** The number of the frame that is shown, where it lies. */
function ShownFrame({ from, to, width }: { from: number; to: number; width: number }) {
  const frame = useShownFrame()
  return (
    <span
      className="absolute top-0 z-10 -translate-x-1/2 rounded bg-white px-1.5 font-semibold leading-4 text-base-300"
      style={{ left: ((frame - from) / (to - from)) * width }}
    >
      {frame}
    </span>
  )
}

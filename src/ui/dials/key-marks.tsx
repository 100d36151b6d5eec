'use client'

import { ChevronLeft, ChevronRight, Hexagon } from 'lucide-react'
import { keyFrames, readSetting, toggleKey, type SettingRef } from '../../core/comp/settings.ts'
import { useShot, useShotContext } from '../shot/shot-context.tsx'

/** Beside a setting: whether it moves, whether it has a key on this frame; a click sets a key or takes it away. */
export function KeyToggle({ of: ref, name }: { of: SettingRef; name: string }) {
  const { store } = useShotContext()
  const frame = useShot((s) => s.frame)
  const isHere = useShot((s) => keyFrames(s.comp, ref).includes(s.frame))
  const moves = useShot((s) => keyFrames(s.comp, ref).length > 0)
  const colour = isHere ? 'text-accent' : moves ? 'text-accent/70' : 'text-base-content/30'
  return (
    <button
      type="button"
      className={`absolute -left-4 top-1.5 p-px hover:text-accent focus-visible:text-accent ${colour}`}
      aria-label={isHere ? `Take the key of ${name} away` : `Set a key of ${name}`}
      aria-pressed={isHere}
      title={isHere ? 'A key on this frame; click to take it away' : 'Set a key on this frame'}
      onClick={() => {
        store
          .getState()
          .edit(`${isHere ? 'Take away a key' : 'Set a key'}: ${name}`, (c) => toggleKey(c, ref, frame))
      }}
    >
      <Hexagon size={9} strokeWidth={3} fill={isHere ? 'currentColor' : 'none'} aria-hidden />
    </button>
  )
}

const [curveWidth, curveHeight, curvePoints] = [96, 14, 49]

/** A small copy of how a number moves over the shot, with the frame that is looked at. */
function SmallCurve({ of: ref }: { of: SettingRef }) {
  const comp = useShot((s) => s.comp)
  const frame = useShot((s) => s.frame)
  const read = useShot((s) => s.read)
  const { first, last } = comp.frames
  const values = Array.from({ length: curvePoints }, (_, i) =>
    readSetting(comp, ref, first + (i / (curvePoints - 1)) * (last - first), read),
  ).filter((v) => typeof v === 'number')
  if (last <= first || values.length < curvePoints) return null
  const [low, high] = [Math.min(...values), Math.max(...values)]
  const x = (part: number) => (part * curveWidth).toFixed(1)
  const y = (v: number) => (1 + (high > low ? (high - v) / (high - low) : 0.5) * (curveHeight - 2)).toFixed(1)
  const line = values.map((v, i) => `${x(i / (curvePoints - 1))},${y(v)}`).join(' ')
  const now = x((frame - first) / (last - first))
  return (
    <svg
      viewBox={`0 0 ${curveWidth} ${curveHeight}`}
      width={curveWidth}
      height={curveHeight}
      className="ml-auto shrink-0 rounded bg-base-300"
      aria-hidden
    >
      <polyline points={line} fill="none" stroke="currentColor" strokeWidth={1.2} />
      <line x1={now} x2={now} y1={0} y2={curveHeight} stroke="white" strokeOpacity={0.8} />
    </svg>
  )
}

/** Below a setting that moves: its keys, the way to them, and what a change does. */
export function KeyLine({ of: ref, name }: { of: SettingRef; name: string }) {
  const { store } = useShotContext()
  const frame = useShot((s) => s.frame)
  const autoKey = useShot((s) => s.autoKey)
  const told = useShot((s) => keyFrames(s.comp, ref).join())
  if (told === '') return null
  const keys = told.split(',').map(Number)
  const [before, after] = [keys.findLast((k) => k < frame), keys.find((k) => k > frame)]
  const go = (to: number | undefined, words: string, Icon: typeof ChevronLeft) => (
    <button
      type="button"
      className="rounded p-0.5 hover:bg-base-300 disabled:opacity-30"
      aria-label={`${words} key of ${name}`}
      title={to === undefined ? `No ${words.toLowerCase()} key` : `${words} key, frame ${to}`}
      disabled={to === undefined}
      onClick={() => {
        if (to !== undefined) store.getState().set({ frame: to })
      }}
    >
      <Icon size={12} aria-hidden />
    </button>
  )
  return (
    <p className="flex items-center gap-1 text-xs text-accent" data-testid="moves">
      {go(before, 'Previous', ChevronLeft)}
      {go(after, 'Next', ChevronRight)}
      {keys.length === 1 ? '1 key' : `${keys.length} keys`};{' '}
      {autoKey ? 'a change sets a key here' : 'a change shifts all of it'}
      <SmallCurve of={ref} />
    </p>
  )
}

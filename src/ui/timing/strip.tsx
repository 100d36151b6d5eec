'use client'

import { memo, useEffect, useLayoutEffect, useMemo, useRef, useState, type KeyboardEvent } from 'react'
import { isTrack, type Comp, type Setting, type Track } from '../../core/comp/schema.ts'
import { fitting } from '../../core/comp/own-dials.ts'
import { timeOf, type SettingRef } from '../../core/comp/settings.ts'
import type { Dial, DialValue } from '../../core/dials/dials.ts'
import { settingAt } from '../../core/tracks/track-at.ts'
import { useShot, useShotContext } from '../shot/shot-context.tsx'
import type { ShotState } from '../shot/shot-store.ts'
import { settingNow } from '../shot/use-setting.ts'
import { useSpace } from '../shot/use-space.ts'
import { drawStrip, heightsOf, isLines, samplesOf, yOf, type Heights, type StripLook } from './draw-strip.ts'
import { refOf, setTiming } from './edit-keys.ts'
import { RiderChips } from './riders.tsx'
import { useStripDrag, type Box } from './strip-drag.ts'
import { pressOnStrip } from './strip-keys.ts'
import { ValueCell } from './value-cell.tsx'

export const closedHeight = 30
export const openHeight = 128
/** Widths of what stands at the left and right of the strips. */
export const [leftWidth, rightWidth] = [296, 176]

const noFrames: readonly number[] = []
const round = (v: number) => String(Number(v.toPrecision(3)))

/** What a setting is at a frame, as its dial takes it. */
function valuesOf(
  dial: Dial | undefined,
  setting: Setting,
  frames: Comp['frames'],
  read: ShotState['read'],
): (frame: number) => DialValue {
  const time = timeOf({ frames }, read)
  return (frame) => fitting(dial, settingAt(setting, frame, time))
}

/** One setting over time: its name, its value at this frame, its curve to be bent in place, and what rides on it. */
export const Strip = memo(function Strip({
  refKey,
  where,
  words,
  laneId,
  stepId,
  dial,
  setting,
  from,
  to,
  width,
  isOpen,
  goTo,
  box,
}: {
  refKey: string
  /** The lane or drawing, and what it is called there. */
  where: string
  words: string
  laneId: string
  stepId: string | undefined
  dial: Dial | undefined
  setting: Setting
  /** Frames at its ends. */
  from: number
  to: number
  width: number
  isOpen: boolean
  goTo: (key: string, by: 1 | -1) => void
  box: { show: (box: Box | undefined) => void; choose: (box: Box, isMore: boolean) => void }
}) {
  const { store } = useShotContext()
  const frames = useShot((s) => s.comp.frames)
  const read = useShot((s) => s.read)
  const ref = useMemo(() => refOf(refKey), [refKey])
  const chosen = useShot((s) => s.timing.chosen.get(refKey) ?? noFrames)
  const canvas = useRef<HTMLCanvasElement>(null)
  const row = useRef<HTMLDivElement>(null)
  const riders = useRef<HTMLDivElement>(null)
  const track: Track | undefined = isTrack(setting) ? setting : undefined
  const shown: Track = track ?? { keys: [{ frame: frames.first, value: setting as never }] }
  const height = isOpen ? openHeight : closedHeight
  const title = `${words} on ${where}`
  const span = useMemo(() => [from, to] as const, [from, to])
  const type = dial?.type ?? ''
  const valueAt = valuesOf(dial, setting, frames, read)
  /** While something is dragged the heights stay, or it would run away from the pointer. */
  const [held, setHeld] = useState<Heights>()
  const hasLines = isLines(shown, type)
  const space = useSpace()
  const samples = useMemo(
    () =>
      hasLines
        ? samplesOf(shown, { width, span, isOpen, valueAt: valuesOf(dial, setting, frames, read) })
        : undefined,
    // `shown` follows from the setting and the frames.
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [hasLines, dial, setting, frames, read, width, span, isOpen],
  )
  const heights = held ?? (samples ? heightsOf(shown, samples) : { low: 0, high: 1 })
  const look: StripLook = { width, height, span, isOpen, heights, chosen, valueAt, space }
  const latest = useRef(look)
  const drag = useStripDrag(refKey, title, shown, type, latest, box)

  useLayoutEffect(() => {
    latest.current = look
    const element = canvas.current
    if (!element) return
    const ratio = devicePixelRatio
    const [wide, tall] = [Math.round(width * ratio), Math.round(height * ratio)]
    if (element.width !== wide) element.width = wide
    if (element.height !== tall) element.height = tall
    const context = element.getContext('2d')!
    context.setTransform(ratio, 0, 0, ratio, 0, 0)
    if (track) drawStrip(context, track, type, look, samples)
    else {
      context.fillStyle = 'rgba(255,255,255,0.1)'
      context.fillRect(0, height / 2, width, 1)
    }
  })
  useEffect(() => {
    if (isOpen) row.current?.scrollIntoView({ block: 'nearest' })
  }, [isOpen])

  return (
    <div
      ref={row}
      data-strip={refKey}
      data-name={title}
      className={`relative flex border-b border-base-300 ${isOpen ? 'bg-primary/10' : ''}`}
      style={{ height }}
    >
      <div className="flex shrink-0 items-start gap-2 pl-3 pr-2 pt-1" style={{ width: leftWidth }}>
        <button
          type="button"
          tabIndex={-1}
          className="flex min-w-0 flex-1 gap-2 pt-0.5 text-left text-xs"
          title={`${title}${isOpen ? '' : '; click to work on it'}`}
          onClick={() => {
            setTiming(store, { open: isOpen ? undefined : refKey })
            store
              .getState()
              .set({ selection: { lane: laneId, ...(stepId !== undefined && { step: stepId }) } })
          }}
        >
          <span className="w-16 shrink-0 truncate text-base-content/55">{where}</span>
          <span className={`min-w-0 flex-1 truncate ${track ? 'font-semibold' : ''}`}>{words}</span>
        </button>
        <div className="w-[6.9rem] shrink-0">
          <Value of={ref} name={title} dial={dial} />
        </div>
      </div>
      <canvas
        ref={canvas}
        tabIndex={-1}
        role="application"
        aria-label={`${title}, ${track ? `${track.keys.length} keys` : 'stands still'}`}
        className="shrink-0 touch-none outline-none focus-visible:outline-1 focus-visible:outline-accent"
        style={{ width, height }}
        onPointerDown={(event) => {
          setHeld(heights)
          drag.down(event)
        }}
        onPointerMove={drag.move}
        onPointerUp={(event) => {
          setHeld(undefined)
          drag.up(event)
        }}
        onDoubleClick={drag.add}
        onKeyDown={(event) =>
          pressOnStrip(event, store, refKey, title, {
            strip: (by) => {
              goTo(refKey, by)
            },
            riders: () => {
              setTiming(store, { open: refKey })
              requestAnimationFrame(() => {
                riders.current?.querySelector('button')?.focus()
              })
            },
            field: () => {
              const field = row.current?.querySelector('input')
              field?.focus()
              field?.select()
            },
          })
        }
      />
      {isOpen && hasLines && track && (
        <>
          {[heights.high, heights.low].map((v, i) => (
            <span
              key={i}
              className="pointer-events-none absolute -translate-y-1/2 bg-base-300/70 px-1 text-[10px] text-base-content/60"
              style={{ left: leftWidth + width - 40, top: yOf(v, look) }}
            >
              {round(v)}
            </span>
          ))}
        </>
      )}
      <div
        ref={riders}
        className="min-w-0 flex-1 overflow-y-auto overflow-x-hidden py-1 pl-2 pr-1"
        style={{ width: rightWidth }}
        onKeyDown={(event) => {
          moveAmong(event, () => canvas.current?.focus())
        }}
      >
        <RiderChips of={ref} refKey={refKey} name={title} track={track} type={type} isOpen={isOpen} />
      </div>
    </div>
  )
})

/** Arrow keys go from button to button in a row of them; Escape leaves it. What is open over it keeps its own keys. */
function moveAmong(event: KeyboardEvent<HTMLElement>, leave: () => void): void {
  const buttons = [...event.currentTarget.querySelectorAll('button')]
  const at = buttons.indexOf(event.target as HTMLButtonElement)
  if (at < 0) return
  const by = { ArrowLeft: -1, ArrowUp: -1, ArrowRight: 1, ArrowDown: 1 }[event.key]
  if (by) buttons[Math.min(buttons.length - 1, Math.max(0, at + by))]!.focus()
  else if (event.key === 'Escape') leave()
  else return
  event.preventDefault()
  event.stopPropagation()
}

/** The value at the frame that is looked at; by itself, so that a strip is not drawn again for each frame. */
function Value({ of: ref, name, dial }: { of: SettingRef; name: string; dial: Dial | undefined }) {
  const { store } = useShotContext()
  const text = useShot((s) => JSON.stringify(settingNow(s, ref) ?? 0))
  const value = JSON.parse(text) as DialValue
  return (
    <ValueCell
      name={name}
      dial={dial}
      value={value}
      onChange={(next, gesture) => {
        store.getState().write(name, [[ref, next]], gesture && `${JSON.stringify(ref)} ${gesture}`)
      }}
    />
  )
}

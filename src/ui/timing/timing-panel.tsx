'use client'

import { useVirtualizer } from '@tanstack/react-virtual'
import { Hand } from 'lucide-react'
import { useCallback, useEffect, useLayoutEffect, useMemo, useRef, useState } from 'react'
import { isTrack, type Comp, type Setting } from '../../core/comp/schema.ts'
import { dialAt, listSettings, settingOf, type SettingRef } from '../../core/comp/settings.ts'
import { settingName, type SettingName } from '../../core/comp/setting-names.ts'
import { ValueField } from '../dials/value-field.tsx'
import { useShot, useShotContext } from '../shot/shot-context.tsx'
import { useShownFrame } from '../shot/use-setting.ts'
import type { Selection } from '../shot/shot-store.ts'
import { frameOf } from './draw-strip.ts'
import { setTiming } from './edit-keys.ts'
import { KeyBar } from './key-bar.tsx'
import { Ruler } from './ruler.tsx'
import { closedHeight, leftWidth, openHeight, rightWidth, Strip } from './strip.tsx'
import type { Box } from './strip-drag.ts'
import { refKey, shownSets, spanOf, type ShownSet } from './timing-state.ts'

interface Row {
  readonly key: string
  readonly ref: SettingRef
  readonly setting: Setting
  readonly name: SettingName
}

/** The settings that have a strip, by lanes from the front one on, and how many of all move. */
function rowsOf(
  comp: Comp,
  shown: ShownSet,
  selection: Selection | undefined,
): { rows: Row[]; moving: number; all: number } {
  const refs = listSettings(comp)
  let moving = 0
  const rows = refs.flatMap((ref): Row[] => {
    const setting = settingOf(comp, ref)
    if (setting === undefined) return []
    if (isTrack(setting)) moving++
    else if (shown === 'moving') return []
    const name = settingName(comp, ref)
    if (
      shown === 'lane' &&
      (name.laneId !== selection?.lane || (selection.step !== undefined && name.stepId !== selection.step))
    )
      return []
    return [{ key: refKey(ref), ref, setting, name }]
  })
  const order = new Map(comp.lanes.map((l, i) => [l.id, comp.lanes.length - i]))
  rows.sort((a, b) => (order.get(a.name.laneId) ?? 1e6) - (order.get(b.name.laneId) ?? 1e6))
  return { rows, moving, all: refs.length }
}

/** Settings over time: one strip each, its curve bent in place; the fields at the left are the table of all values at this frame. */
export function TimingPanel() {
  const { store } = useShotContext()
  const comp = useShot((s) => s.comp)
  const timing = useShot((s) => s.timing)
  const selection = useShot((s) => s.selection)
  const isRideArmed = useShot((s) => s.isRideArmed)
  const rideTolerance = useShot((s) => s.rideTolerance)
  const { set } = store.getState()
  const { rows, moving, all } = useMemo(
    () => rowsOf(comp, timing.shown, selection),
    [comp, timing.shown, selection],
  )
  const list = useRef<HTMLDivElement>(null)
  const [width, setWidth] = useState(600)
  const [box, setBox] = useState<Box>()
  const span = spanOf(timing, comp.frames)

  useLayoutEffect(() => {
    const element = list.current
    if (!element) return
    const measure = () => {
      setWidth(Math.max(120, element.clientWidth - leftWidth - rightWidth))
    }
    measure()
    const observer = new ResizeObserver(measure)
    observer.observe(element)
    return () => {
      observer.disconnect()
    }
  }, [])

  const heightOf = (i: number) => (rows[i]?.key === timing.open ? openHeight : closedHeight)
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => list.current,
    estimateSize: heightOf,
    getItemKey: (i) => rows[i]!.key,
    overscan: 4,
  })
  useEffect(() => {
    virtual.measure()
  }, [virtual, timing.open, rows])

  /** What is at hand when the pointer lets go, without drawing the strips anew for it. */
  const now = useRef({ rows, span, width })
  useLayoutEffect(() => {
    now.current = { rows, span, width }
  })
  const boxing = useMemo(
    () => ({
      show: setBox,
      choose: (area: Box, isMore: boolean) => {
        const { rows: all, span: seen, width: wide } = now.current
        const chosen = new Map(isMore ? store.getState().timing.chosen : [])
        for (const element of list.current?.querySelectorAll<HTMLElement>('[data-strip]') ?? []) {
          const { top, bottom } = element.getBoundingClientRect()
          const left = element.querySelector('canvas')!.getBoundingClientRect().left
          const row = all.find((r) => r.key === element.dataset['strip'])
          if (!row || !isTrack(row.setting) || bottom < area.top || top > area.bottom) continue
          const [a, b] = [area.left, area.right].map((x) =>
            frameOf(x - left, { width: wide, span: seen }),
          ) as [number, number]
          const frames = row.setting.keys.map((k) => k.frame).filter((f) => f >= a && f <= b)
          if (frames.length > 0)
            chosen.set(row.key, [...new Set([...(chosen.get(row.key) ?? []), ...frames])])
        }
        setTiming(store, { chosen })
      },
    }),
    [store],
  )
  const focusStrip = useCallback(
    (i: number) => {
      const row = now.current.rows[i]
      if (!row) return
      setTiming(store, { open: row.key })
      virtual.scrollToIndex(i)
      // One that was out of sight is drawn some frames later.
      const focus = (tries: number) => {
        const canvas = list.current?.querySelector<HTMLElement>(
          `[data-strip="${CSS.escape(row.key)}"] canvas`,
        )
        if (canvas) canvas.focus()
        else if (tries > 0)
          requestAnimationFrame(() => {
            virtual.scrollToIndex(i)
            focus(tries - 1)
          })
      }
      requestAnimationFrame(() => {
        focus(20)
      })
    },
    [store, virtual],
  )
  const goTo = useCallback(
    (key: string, by: 1 | -1) => {
      focusStrip(now.current.rows.findIndex((r) => r.key === key) + by)
    },
    [focusStrip],
  )
  // Whoever comes by the keyboard begins on the strip that is worked on.
  useEffect(() => {
    const { timing: begun } = store.getState()
    focusStrip(
      Math.max(
        0,
        now.current.rows.findIndex((r) => r.key === begun.open),
      ),
    )
  }, [store, focusStrip])

  return (
    <section className="flex h-full min-h-0 flex-col bg-[oklch(16.5%_0_0)]" aria-label="Timing">
      <header className="flex h-9 shrink-0 items-center gap-2 overflow-hidden whitespace-nowrap px-3 text-xs">
        <button
          type="button"
          className={`btn btn-xs gap-1 ${isRideArmed ? 'btn-accent' : ''}`}
          aria-pressed={isRideArmed}
          title="While on, play and move a dial, a colour or a handle by hand: where it was becomes keys when you let go"
          onClick={() => {
            set({ isRideArmed: !isRideArmed })
          }}
        >
          <Hand size={11} aria-hidden /> Ride
        </button>
        {isRideArmed && (
          <span
            className="flex items-center gap-1"
            title="How far its keys may be from the hand, in percent of how far it moved"
          >
            within
            <span className="w-14">
              <ValueField
                label="Tolerance of a ride"
                value={rideTolerance * 100}
                unit="%"
                hard={[0.1, 50]}
                step={0.5}
                onChange={(v) => {
                  set({ rideTolerance: v / 100 })
                }}
              />
            </span>
          </span>
        )}
        <span className="px-1 font-semibold" data-testid="moving">
          {moving} of {all} move
        </span>
        <span className="flex items-center" role="radiogroup" aria-label="Strips that are shown">
          {Object.entries(shownSets).map(([name, words]) => (
            <button
              key={name}
              type="button"
              role="radio"
              aria-checked={timing.shown === name}
              className={`btn btn-xs px-1.5 ${timing.shown === name ? 'btn-primary' : 'btn-ghost'}`}
              onClick={() => {
                setTiming(store, { shown: name as ShownSet })
              }}
            >
              {words}
            </button>
          ))}
        </span>
        <span className="ml-auto min-w-0">
          <KeyBar />
        </span>
      </header>
      <Ruler width={width} />
      <div
        ref={list}
        className="relative min-h-0 flex-1 overflow-y-auto overflow-x-hidden bg-[oklch(16.5%_0_0)] will-change-scroll"
      >
        <div className="relative min-h-full" style={{ height: virtual.getTotalSize() }}>
          <Playhead width={width} span={span} />
          {rows.length === 0 && (
            <p className="p-6 text-sm text-base-content/70">
              {timing.shown === 'moving'
                ? 'Nothing moves yet. Click the small hexagon beside a dial to set its first key, or turn Auto key on and change something. “This lane” shows all that could move.'
                : 'Nothing is selected that has settings. Choose a lane or a step on the desk.'}
            </p>
          )}
          {virtual.getVirtualItems().map((item) => {
            const { key, ref, setting, name } = rows[item.index]!
            return (
              <div
                key={key}
                className="absolute inset-x-0 top-0 contain-content"
                style={{ transform: `translateY(${item.start}px)` }}
              >
                <Strip
                  refKey={key}
                  where={name.where}
                  words={name.name}
                  laneId={name.laneId}
                  stepId={name.stepId}
                  dial={dialAt(comp, ref)}
                  setting={setting}
                  from={span[0]}
                  to={span[1]}
                  width={width}
                  isOpen={timing.open === key}
                  goTo={goTo}
                  box={boxing}
                />
              </div>
            )
          })}
        </div>
      </div>
      {box && (
        <div
          className="pointer-events-none fixed z-30 border border-accent bg-accent/15"
          style={{ left: box.left, top: box.top, width: box.right - box.left, height: box.bottom - box.top }}
        />
      )}
    </section>
  )
}

/** The line of the frame that is looked at, over all strips; by itself, so that nothing else is drawn for it. */
function Playhead({ width, span: [from, to] }: { width: number; span: readonly [number, number] }) {
  const frame = useShownFrame()
  const share = (frame - from) / (to - from)
  if (share < 0 || share > 1) return null
  return (
    <div
      className="pointer-events-none absolute inset-y-0 z-10 w-px bg-white/80"
      style={{ left: leftWidth + share * width }}
      aria-hidden
    />
  )
}

'use client'

import { isMiss } from '../../core/picture/depth-miss.ts'
import { Crosshair, Maximize2 } from 'lucide-react'
import { useEffect, useRef, useState, type PointerEvent } from 'react'
import type { Step } from '../../core/comp/schema.ts'
import { dialLabel } from '../../core/dials/dials.ts'
import type { Effect } from '../../core/effects/effect.ts'
import type { ValueHistogram } from '../../core/engine/histogram.ts'
import { askWhenSettled } from '../shot/ask-when-settled.ts'
import { useShot, useShotContext } from '../shot/shot-context.tsx'
import { fitSpan } from './fit-span.ts'
import { filledArea, quietAxis, useChart } from './use-chart.ts'
import { usePick } from './use-pick.ts'
import { newGesture } from './value-field.tsx'

const axisHeight = 18
const samples = 96

/**
 * Where the values of a feed lie, with the marks of a step to drag and how far it acts at each value as a line. Marks are also picked on the
 * picture, one after the other, and fitted to what is there.
 */
export function SpanChart(props: SpanProps) {
  const { step, effect, value } = props
  const dials = Object.fromEntries(Object.keys(effect.dials).map((key) => [key, value(key)])) as never
  const { feed, marks } = effect.span!
  return step.feeds[feed] && marks(dials).length > 0 ? <SpanField {...props} dials={dials} /> : null
}

interface SpanProps {
  readonly step: Step
  readonly effect: Effect
  readonly value: (key: string) => unknown
}

function SpanField({ step, effect, value, dials }: SpanProps & { readonly dials: never }) {
  const { engine, store, onPicture } = useShotContext()
  const { write } = store.getState()
  const frame = useShot((s) => s.frame)
  const span = effect.span!
  const link = JSON.stringify(step.feeds[span.feed])
  const source = step.feeds[span.feed]?.from
  const marks = span.marks(dials).map((key) => ({
    key,
    at: value(key) as number,
    label: dialLabel(key, effect.dials[key]!),
  }))
  const [histogram, setHistogram] = useState<ValueHistogram>()
  const { holder, chart } = useChart()
  const drag = useRef<{ key: string; gesture: string }>(undefined)

  useEffect(() => {
    if (!engine) return
    return askWhenSettled(
      onPicture,
      (isWanted) => {
        const { comp, media } = store.getState()
        const of = { type: 'feed', step: step.id, feed: span.feed } as const
        void engine.values({ comp, media, frame }, of).then((found) => {
          if (isWanted()) setHistogram(found)
        })
      },
      () => drag.current !== undefined,
    )
  }, [engine, store, step.id, span.feed, link, frame, onPicture])

  // What is there, and the marks where they lie not far beyond it.
  const [low, high] = histogram && histogram.high > histogram.low ? [histogram.low, histogram.high] : [0, 1]
  const spread = high - low
  const near = marks.map((m) => m.at).filter((at) => at > low - spread && at < high + spread)
  const from = Math.min(low - 0.04 * spread, ...near.map((at) => at - 0.04 * spread))
  const to = Math.max(high + 0.04 * spread, ...near.map((at) => at + 0.04 * spread))
  const weight = span.weight?.(dials)
  const line = JSON.stringify(
    weight === undefined
      ? []
      : Array.from({ length: samples + 1 }, (_, i) => {
          const at = from + ((to - from) * i) / samples
          return [at, Number(weight(at).toFixed(4))]
        }),
  )
  useEffect(() => {
    if (!histogram || !chart.current) return
    const { counts } = histogram
    const most = Math.max(1, ...counts)
    const width = (high - low) / counts.length
    const curve = JSON.parse(line) as number[][]
    chart.current.setOption(
      {
        animation: false,
        grid: { left: 0, right: 0, top: 5, bottom: axisHeight },
        xAxis: { type: 'value', min: from, max: to, splitNumber: 4, ...quietAxis },
        yAxis: { type: 'value', min: 0, max: 1, show: false },
        series: [
          // Square roots, so that small things stay visible beside wide walls.
          filledArea(
            '#4a5570',
            counts.map((c, i) => [low + (i + 0.5) * width, Math.sqrt(c / most)]),
          ),
          {
            type: 'line' as const,
            data: curve,
            showSymbol: false,
            silent: true,
            lineStyle: { color: '#7ea2ff', width: 1.5 },
          },
        ],
      },
      { notMerge: true, lazyUpdate: true },
    )
  }, [histogram, chart, line, low, high, from, to])

  const place = (at: number) => Math.min(1, Math.max(0, (at - from) / (to - from)))
  const dialRef = (key: string) => ({ of: 'dial', step: step.id, key }) as const
  const setMark = (key: string, at: number, gesture?: string) => {
    write(
      `${effect.title}: ${dialLabel(key, effect.dials[key]!).toLowerCase()}`,
      [[dialRef(key), Number(at.toPrecision(3))]],
      gesture && `${step.id} ${key} ${gesture}`,
    )
  }
  const valueUnder = (event: PointerEvent<HTMLDivElement>) => {
    const box = event.currentTarget.getBoundingClientRect()
    return from + ((event.clientX - box.left) / box.width) * (to - from)
  }
  const [picked, setPicked] = useState(0)
  const next = marks[picked]
  const { isPicking, toggle } = usePick(
    {
      words: `Click on what is ${marks.map((m) => m.label.toLowerCase()).join(', then on what is ')}`,
      isKept: marks.length > 1,
      of: { type: 'feed', step: step.id, feed: span.feed },
    },
    ({ rgba: [at] }) => {
      if (next && !isMiss(at)) setMark(next.key, at)
      setPicked((picked + 1) % marks.length)
      if (picked + 1 >= marks.length) store.getState().set({ picking: undefined })
    },
  )
  const [first, second] = marks
  const isSwapped = span.swapped !== undefined && first && second && second.at < first.at
  return (
    <div className="shrink-0">
      <div className="relative h-24 overflow-hidden rounded bg-base-300">
        <div
          ref={holder}
          className="absolute inset-0"
          role="img"
          aria-label={`Histogram of its ${span.feed}`}
        />
        <div
          className="absolute inset-0 cursor-ew-resize touch-none"
          data-testid="span-marks"
          onPointerDown={(event) => {
            const at = valueUnder(event)
            const nearest = marks.toSorted((a, b) => Math.abs(a.at - at) - Math.abs(b.at - at))[0]!
            drag.current = { key: nearest.key, gesture: newGesture() }
            event.currentTarget.setPointerCapture(event.pointerId)
            setMark(nearest.key, at, drag.current.gesture)
          }}
          onPointerMove={(event) => {
            if (drag.current) setMark(drag.current.key, valueUnder(event), drag.current.gesture)
          }}
          onPointerUp={() => {
            drag.current = undefined
          }}
        >
          {marks.map(({ key, at, label }, i) => (
            <span
              key={key}
              role="slider"
              tabIndex={0}
              aria-label={`${label} on the histogram`}
              aria-valuenow={at}
              className="absolute top-0 w-0.5 -translate-x-1/2 bg-white"
              style={{ bottom: axisHeight, left: `${place(at) * 100}%` }}
              onKeyDown={(event) => {
                const way = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1 }[event.key]
                if (!way) return
                event.preventDefault()
                event.stopPropagation()
                setMark(key, at + (way * (to - from) * (event.shiftKey ? 10 : 1)) / 200, newGesture())
              }}
            >
              <span
                className={`absolute whitespace-nowrap px-1 text-xs ${place(at) > 0.75 ? 'right-0' : 'left-0'}`}
                style={{ top: i * 14 }}
              >
                {label.toLowerCase()}
              </span>
            </span>
          ))}
        </div>
      </div>
      <div className="flex items-center gap-1 pt-1">
        <button
          type="button"
          className={`btn btn-xs ${isPicking ? 'btn-primary' : ''}`}
          aria-pressed={isPicking}
          title={`Click on the picture: ${marks.map((m) => m.label.toLowerCase()).join(', then ')}`}
          onClick={() => {
            setPicked(0)
            toggle()
          }}
        >
          <Crosshair size={12} aria-hidden />
          {isPicking && next && marks.length > 1
            ? `Click what is ${next.label.toLowerCase()}`
            : `Pick ${marks.map((m) => m.label.toLowerCase()).join(' and ')}`}
        </button>
        <button
          type="button"
          className="btn btn-ghost btn-xs"
          title="Puts the marks where the distances of this frame lie"
          onClick={() => {
            if (engine) void fitSpan(store, engine, step.id)
          }}
        >
          <Maximize2 size={12} aria-hidden /> Fit
        </button>
        {histogram && histogram.empty > 0 && (
          <span className="ml-auto text-xs text-base-content/60">
            {((100 * histogram.empty) / histogram.total).toFixed(0)} % nothing hit
          </span>
        )}
      </div>
      {isSwapped && (
        <p
          role="alert"
          className="mt-1 flex items-center gap-2 rounded bg-warning/15 px-2 py-1 text-xs text-warning"
        >
          <span className="flex-1">{span.swapped}</span>
          <button
            type="button"
            className="btn btn-xs"
            onClick={() => {
              write(`Swap ${first.label.toLowerCase()} and ${second.label.toLowerCase()}`, [
                [dialRef(first.key), second.at],
                [dialRef(second.key), first.at],
              ])
            }}
          >
            Swap
          </button>
          {source?.type === 'pass' && (
            <button
              type="button"
              className="btn btn-xs"
              title="Shows how the pass is read; if its values are larger where things are nearer, say so there"
              onClick={() => {
                store.getState().set({ shownPass: { media: source.media, pass: source.pass } })
              }}
            >
              The pass …
            </button>
          )}
        </p>
      )}
    </div>
  )
}

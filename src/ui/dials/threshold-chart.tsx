'use client'

import { Pipette } from 'lucide-react'
import { useEffect, useRef, useState, type KeyboardEvent, type PointerEvent } from 'react'
import { workingSpace } from '../../core/colour/working.ts'
import { shareAbove, type LuminanceHistogram } from '../../core/engine/histogram.ts'
import { askWhenSettled } from '../shot/ask-when-settled.ts'
import { useShot, useShotContext } from '../shot/shot-context.tsx'
import { filledArea, quietAxis, useChart } from './use-chart.ts'
import { usePick } from './use-pick.ts'
import { newGesture } from './value-field.tsx'

const [lowStops, highStops] = [-8, 6]
const chartHeight = 84
const axisHeight = 18

/** A share in per cent; little is not called nothing. */
function shareWords(share: number): string {
  if (share === 0) return 'nothing'
  if (share < 0.0005) return 'under 0.1 %'
  return `${(share * 100).toFixed(share < 0.1 ? 1 : 0)} %`
}

/** Luminance of what a step takes its light from, in stops, with the threshold as a mark to drag. */
export function ThresholdChart({
  stepId,
  threshold,
  knee,
  byMost,
  onChange,
}: {
  stepId: string
  threshold: number
  knee: number
  /** Brightness is that of the brightest channel. */
  byMost: boolean
  onChange: (value: number, gesture: string) => void
}) {
  const { engine, store, onPicture } = useShotContext()
  const frame = useShot((s) => s.frame)
  const feed = useShot((s) =>
    JSON.stringify(
      s.comp.lanes
        .flatMap((l) => l.steps)
        .concat(s.comp.master)
        .find((x) => x.id === stepId)?.feeds,
    ),
  )
  const [histogram, setHistogram] = useState<LuminanceHistogram>()
  const { holder, chart } = useChart()
  const gesture = useRef<string>(undefined)

  useEffect(() => {
    if (!engine) return
    // What comes to the step may change with the steps before it.
    return askWhenSettled(
      onPicture,
      (isWanted) => {
        const { comp, media } = store.getState()
        const input = { type: 'light-input', step: stepId } as const
        void engine.histogram({ comp, media, frame }, input, byMost).then((found) => {
          if (isWanted()) setHistogram(found)
        })
      },
      () => gesture.current !== undefined,
    )
  }, [engine, store, stepId, frame, feed, byMost, onPicture])

  useEffect(() => {
    if (!histogram || !chart.current) return
    const { counts, stopsPerBin, lowStops: from } = histogram
    const most = Math.max(1, ...counts)
    // Square roots, so that few bright pixels stay visible beside many dark ones.
    const points = counts.map((count, i) => [from + (i + 0.5) * stopsPerBin, Math.sqrt(count / most)])
    chart.current.setOption(
      {
        animation: false,
        grid: { left: 0, right: 0, top: 4, bottom: axisHeight },
        xAxis: {
          type: 'value',
          min: lowStops,
          max: highStops,
          interval: 2,
          ...quietAxis,
          axisLabel: {
            ...quietAxis.axisLabel,
            formatter: (stops: number) =>
              stops === lowStops || stops === highStops
                ? ''
                : String(stops < 0 ? `1/${2 ** -stops}` : 2 ** stops),
          },
        },
        yAxis: { type: 'value', min: 0, max: 1, show: false },
        series: [filledArea('#7ea2ff', points)],
      },
      { notMerge: true, lazyUpdate: true },
    )
  }, [histogram, chart])

  const stops = threshold > 0 ? Math.log2(threshold) : lowStops
  const place = (value: number) =>
    `${Math.min(100, Math.max(0, ((value - lowStops) / (highStops - lowStops)) * 100))}%`
  const kneeFrom = threshold * (1 - knee) > 0 ? Math.log2(threshold * (1 - knee)) : lowStops
  const kneeTo = threshold > 0 ? Math.log2(threshold * (1 + knee)) : lowStops
  const share = histogram && shareAbove(histogram, threshold)

  const { luminance } = useShot((s) => workingSpace(s.comp.space))
  const { isPicking, toggle: pick } = usePick(
    { words: 'Click on the faintest light that should be caught', of: { type: 'light-input', step: stepId } },
    ({ rgba: [r, g, b] }) => {
      const brightness = byMost ? Math.max(r, g, b) : luminance(r, g, b)
      if (!(brightness > 0)) {
        const refusal =
          'What this step takes its light from is dark there. Click on something that shines in it.'
        store.getState().set({ refusal })
        return
      }
      // A little below it, so that what was clicked passes.
      onChange(Number((0.9 * brightness).toPrecision(3)), newGesture())
    },
  )

  const setFrom = (event: PointerEvent<HTMLDivElement>) => {
    const box = event.currentTarget.getBoundingClientRect()
    const at = lowStops + ((event.clientX - box.left) / box.width) * (highStops - lowStops)
    const value = at <= lowStops ? 0 : Number((2 ** Math.min(highStops, at)).toPrecision(3))
    onChange(value, (gesture.current ??= newGesture()))
  }
  const keys = (event: KeyboardEvent) => {
    const way = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1 }[event.key]
    if (!way) return
    event.preventDefault()
    event.stopPropagation()
    onChange(Number((2 ** (stops + way * (event.shiftKey ? 1 : 0.1))).toPrecision(3)), newGesture())
  }

  return (
    <div className="relative shrink-0 overflow-hidden rounded bg-base-300" style={{ height: chartHeight }}>
      <div ref={holder} className="absolute inset-0" aria-hidden />
      <div
        role="slider"
        tabIndex={0}
        aria-label="Threshold on the histogram"
        aria-valuenow={threshold}
        aria-valuetext={`${threshold}, catches ${share === undefined ? 'an unknown part' : shareWords(share)}`}
        className="absolute inset-0 cursor-ew-resize touch-none"
        onPointerDown={(event) => {
          gesture.current = newGesture()
          store.getState().set({ catching: stepId })
          event.currentTarget.setPointerCapture(event.pointerId)
          setFrom(event)
        }}
        onPointerMove={(event) => {
          if (gesture.current !== undefined) setFrom(event)
        }}
        onPointerUp={() => {
          gesture.current = undefined
          store.getState().set({ catching: undefined })
        }}
        onKeyDown={keys}
      >
        <span
          className="absolute left-0 top-0 bg-base-300/65"
          style={{ bottom: axisHeight, width: place(stops) }}
        />
        <span
          className="absolute top-0 bg-white/10"
          style={{
            bottom: axisHeight,
            left: place(kneeFrom),
            width: `calc(${place(kneeTo)} - ${place(kneeFrom)})`,
          }}
        />
        <span
          className="absolute top-0 w-0.5 -translate-x-1/2 bg-white"
          style={{ bottom: axisHeight, left: place(stops) }}
        />
        <span
          className={`absolute top-1 mx-1 whitespace-nowrap rounded bg-base-300/60 px-0.5 text-xs ${stops > 1 ? '-translate-x-full' : ''}`}
          style={{ left: place(stops) }}
          data-testid="share-caught"
        >
          {share === undefined ? '' : `catches ${shareWords(share)}`}
        </span>
      </div>
      <button
        type="button"
        aria-pressed={isPicking}
        aria-label="Pick the threshold from the picture"
        title="Catch what is clicked on in the picture, and all that is brighter"
        className={`absolute bottom-5 left-1 rounded p-1 ${isPicking ? 'bg-primary text-primary-content' : 'bg-base-100/80 hover:bg-base-100'}`}
        onClick={pick}
      >
        <Pipette size={13} aria-hidden />
      </button>
    </div>
  )
}

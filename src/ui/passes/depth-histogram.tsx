'use client'

import { useEffect, useState } from 'react'
import type { Pass } from '../../core/comp/media.ts'
import type { ValueHistogram } from '../../core/engine/histogram.ts'
import { filledArea, quietAxis, useChart } from '../dials/use-chart.ts'
import { useShot, useShotContext } from '../shot/shot-context.tsx'

const short = (v: number) => String(Number(v.toPrecision(3)))

/** Where the distances of a depth pass lie at this frame. */
export function DepthHistogram({ mediaRef, pass }: { mediaRef: string; pass: Pass }) {
  const { engine, store } = useShotContext()
  const media = useShot((s) => s.media)
  const frame = useShot((s) => s.frame)
  const [histogram, setHistogram] = useState<ValueHistogram>()
  const { holder, chart } = useChart()
  useEffect(() => {
    if (!engine) return
    let isCurrent = true
    const { comp } = store.getState()
    void engine
      .values({ comp, media, frame }, { type: 'pass', media: mediaRef, pass: pass.name })
      .then((found) => {
        if (isCurrent) setHistogram(found)
      })
    return () => {
      isCurrent = false
    }
  }, [engine, store, media, frame, mediaRef, pass.name])
  useEffect(() => {
    if (!histogram || !chart.current) return
    const { low, high, counts } = histogram
    const most = Math.max(1, ...counts)
    const width = (high - low) / counts.length
    chart.current.setOption(
      {
        animation: false,
        grid: { left: 4, right: 4, top: 6, bottom: 18 },
        xAxis: { type: 'value', min: low, max: high > low ? high : low + 1, ...quietAxis },
        yAxis: { type: 'value', min: 0, max: 1, show: false },
        // Square roots, so that small things stay visible beside wide walls.
        series: [
          filledArea(
            '#7ea2ff',
            counts.map((c, i) => [low + (i + 0.5) * width, Math.sqrt(c / most)]),
          ),
        ],
      },
      { notMerge: true },
    )
  }, [histogram, chart])
  const empty = histogram ? histogram.empty / histogram.total : 0
  return (
    <div>
      <div ref={holder} className="h-24 rounded bg-base-300" aria-label="Histogram of distances" role="img" />
      {histogram && (
        <p className="pt-1 text-xs text-base-content/65">
          {short(histogram.low)} to {short(histogram.high)} {pass.detail?.unit ?? 'scene units'}
          {empty > 0 && `, ${(empty * 100).toFixed(empty < 0.1 ? 1 : 0)} % without anything hit`}
        </p>
      )}
    </div>
  )
}

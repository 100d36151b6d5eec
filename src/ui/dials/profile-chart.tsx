'use client'

import { useEffect } from 'react'
import { filledArea, quietAxis, useChart } from './use-chart.ts'

const samples = 64

/** How light falls off with the distance, in pixels of the full frame. */
export function ProfileChart({ reach, at }: { reach: number; at: (px: number) => number }) {
  const { holder, chart } = useChart()
  // The curve as text, so that it is drawn again only when it changes.
  const curve = JSON.stringify(
    Array.from({ length: samples + 1 }, (_, i) => [
      (reach * i) / samples,
      Number(at((reach * i) / samples).toFixed(4)),
    ]),
  )
  useEffect(() => {
    chart.current?.setOption(
      {
        animation: false,
        grid: { left: 0, right: 0, top: 3, bottom: 16 },
        xAxis: {
          type: 'value',
          min: 0,
          max: Math.max(1e-3, reach),
          splitNumber: 4,
          ...quietAxis,
          axisLabel: {
            ...quietAxis.axisLabel,
            formatter: (px: number) => (px === 0 || px === reach ? '' : `${px} px`),
          },
        },
        yAxis: { type: 'value', min: 0, max: 1, show: false },
        series: [filledArea('#5a7ad0', JSON.parse(curve) as number[][])],
      },
      { notMerge: true, lazyUpdate: true },
    )
  }, [curve, reach, chart])
  return (
    <div
      className="relative h-14 shrink-0 overflow-hidden rounded bg-base-300"
      title="How the light of a point falls with the distance"
    >
      <div ref={holder} className="absolute inset-0" role="img" aria-label="Falloff of the light" />
    </div>
  )
}

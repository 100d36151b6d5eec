'use client'

import { LineChart } from 'echarts/charts'
import { GridComponent } from 'echarts/components'
import { init, use as register, type ECharts } from 'echarts/core'
import { CanvasRenderer } from 'echarts/renderers'
import { useEffect, useRef, type RefObject } from 'react'

register([LineChart, GridComponent, CanvasRenderer])

/** A chart that fills an element and follows its size. */
export function useChart(): {
  holder: RefObject<HTMLDivElement | null>
  chart: RefObject<ECharts | undefined>
} {
  const holder = useRef<HTMLDivElement>(null)
  const chart = useRef<ECharts>(undefined)
  useEffect(() => {
    const element = holder.current
    if (!element) return
    const made = init(element)
    chart.current = made
    const observer = new ResizeObserver(() => {
      made.resize()
    })
    observer.observe(element)
    return () => {
      observer.disconnect()
      made.dispose()
    }
  }, [])
  return { holder, chart }
}

/** A filled silhouette without line or marks. */
export const filledArea = (color: string, data: readonly (readonly number[])[]) => ({
  type: 'line' as const,
  data: data.map((point) => [...point]),
  showSymbol: false,
  silent: true,
  lineStyle: { width: 0 },
  areaStyle: { color },
})

/** A number of an axis; far ones by their power of ten, or they would run into each other. */
const axisNumber = (v: number) => {
  const short = Number(v.toPrecision(3))
  return Math.abs(v) < 1e6 ? String(short) : short.toExponential().replace('e+', 'e')
}

/** An axis with quiet lines and small numbers. */
export const quietAxis = {
  axisLabel: { color: '#9a9a9a', fontSize: 10, formatter: axisNumber },
  splitLine: { lineStyle: { color: '#333' } },
  axisLine: { show: false },
  axisTick: { show: false },
} as const

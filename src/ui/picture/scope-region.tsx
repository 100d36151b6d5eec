'use client'

import { useRef, useState, type PointerEvent } from 'react'
import { useShot, useShotContext } from '../shot/shot-context.tsx'

type Box = readonly [left: number, top: number, right: number, bottom: number]

/** The part of the picture that scopes count, as a frame over it; while one is being marked it is dragged here. */
export function ScopeRegion({
  place,
}: {
  place: { readonly x: number; readonly y: number; readonly zoom: number }
}) {
  const { store } = useShotContext()
  const scopes = useShot((s) => s.scopes)
  const { width, height } = useShot((s) => s.comp.canvas)
  const start = useRef<readonly [number, number]>(undefined)
  const [dragged, setDragged] = useState<Box>()
  if (!scopes) return null
  const pixel = (event: PointerEvent<HTMLDivElement>): [number, number] => {
    const box = event.currentTarget.getBoundingClientRect()
    const hold = (v: number, most: number) => Math.min(most, Math.max(0, Math.round(v)))
    return [
      hold((event.clientX - box.left - place.x) / place.zoom, width),
      hold((event.clientY - box.top - place.y) / place.zoom, height),
    ]
  }
  const boxTo = ([x, y]: readonly [number, number]): Box => {
    const [x0, y0] = start.current ?? [x, y]
    return [Math.min(x0, x), Math.min(y0, y), Math.max(x0, x), Math.max(y0, y)]
  }
  const shown = dragged ?? scopes.region
  return (
    <div
      className={`absolute inset-0 z-10 ${scopes.isMarking ? 'cursor-crosshair touch-none' : 'pointer-events-none'}`}
      data-testid="scope-region"
      onPointerDown={(event) => {
        event.stopPropagation()
        event.currentTarget.setPointerCapture(event.pointerId)
        start.current = pixel(event)
      }}
      onPointerMove={(event) => {
        if (!start.current) return
        event.stopPropagation()
        setDragged(boxTo(pixel(event)))
      }}
      onPointerUp={(event) => {
        if (!start.current) return
        const [left, top, right, bottom] = boxTo(pixel(event))
        start.current = undefined
        setDragged(undefined)
        const now = store.getState().scopes
        if (!now) return
        // A click alone marks nothing: the whole picture counts.
        const region =
          right - left > 1 && bottom - top > 1 ? ([left, top, right, bottom] as const) : undefined
        store.getState().set({ scopes: { ...now, isMarking: false, region } })
      }}
    >
      {shown && (
        <span
          className="absolute border border-dashed border-accent"
          style={{
            left: place.x + shown[0] * place.zoom,
            top: place.y + shown[1] * place.zoom,
            width: (shown[2] - shown[0]) * place.zoom,
            height: (shown[3] - shown[1]) * place.zoom,
          }}
        />
      )}
    </div>
  )
}

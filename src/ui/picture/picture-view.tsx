'use client'

import {
  useCallback,
  useEffect,
  useImperativeHandle,
  useLayoutEffect,
  useRef,
  useState,
  type PointerEvent,
  type Ref,
} from 'react'
import dynamic from 'next/dynamic'
import { shallow } from 'zustand/shallow'
import type { Part } from '../../core/engine/work-area.ts'
import { useShot, useShotContext } from '../shot/shot-context.tsx'
import type { DrawTool } from '../shot/shot-store.ts'
import { ScopeRegion } from './scope-region.tsx'
import { drawCodes } from './draw-codes.ts'
import { Wipe } from './wipe.tsx'

// The handles draw on a canvas, which only a browser has.
const Handles = dynamic(() => import('./handles.tsx'), { ssr: false })
const ShapeEditor = dynamic(() => import('../drawing/shape-editor.tsx'), { ssr: false })

export interface PictureViewHandle {
  fit(): void
  /** One picture pixel on one screen pixel. */
  fullSize(): void
}

const toolHints: Readonly<Record<DrawTool, string>> = {
  choose:
    'Drag shapes, points, or a frame around points · double-click adds a point to a line, turns a corner round',
  pen: 'Click for corners, drag for curves · click the first point or Enter closes',
  freehand: 'Draw around it; the line closes and smooths itself',
  ellipse: 'Drag from corner to corner · Shift for a circle',
  box: 'Drag from corner to corner · Shift for a square',
}
const [smallest, largest] = [0.05, 64]
/** A picture that is moved is looked at once it rests for so long. */
const restMs = 90

/** What of a canvas is seen in a box of so many pixels; undefined where that is all of it. */
function seenPart(
  { zoom, x, y, across, down }: Readonly<Record<'zoom' | 'x' | 'y' | 'across' | 'down', number>>,
  width: number,
  height: number,
): Part | undefined {
  const [left, top] = [Math.max(0, Math.floor(-x / zoom)), Math.max(0, Math.floor(-y / zoom))]
  const right = Math.min(width, Math.ceil((across - x) / zoom))
  const bottom = Math.min(height, Math.ceil((down - y) / zoom))
  const isAll = left === 0 && top === 0 && right === width && bottom === height
  return isAll || right <= left || bottom <= top
    ? undefined
    : { x: left, y: top, width: right - left, height: bottom - top }
}

/** The canvas: wheel zooms at the pointer, drag pans; pixels stay crisp when magnified. */
export function PictureView({
  ref,
  onZoom,
  onPoint,
}: {
  ref: Ref<PictureViewHandle>
  onZoom: (zoom: number) => void
  onPoint: (point: readonly [number, number] | undefined) => void
}) {
  const { onPicture, onFrame, player, store } = useShotContext()
  const picking = useShot((s) => s.picking)
  const isDrawing = useShot((s) => s.draw !== undefined && !s.shownPass)
  const drawTool = useShot((s) => s.draw?.tool)
  const { width, height } = useShot((s) => s.comp.canvas)
  const screen = useShot((s) => s.comp.screen)
  const frame = useRef<HTMLDivElement>(null)
  const canvas = useRef<HTMLCanvasElement>(null)
  /** What is seen, made alone, over the picture; and where on the canvas it lies. */
  const partCanvas = useRef<HTMLCanvasElement>(null)
  const partAt = useRef<Part | undefined>(undefined)
  // Zoom and place of the picture's corner in the frame; kept out of React, as it changes with every pointer move.
  const view = useRef({ zoom: 1, x: 0, y: 0, isFitted: true })
  // The same for what lies over the picture: handles and the wipe.
  const [placed, setPlaced] = useState({ x: 0, y: 0, zoom: 1, width: 0, height: 0 })
  const drag = useRef<{ x: number; y: number } | undefined>(undefined)

  const saying = useRef<ReturnType<typeof setTimeout> | undefined>(undefined)
  /** Says what is seen: at once where all of it was seen, else once it rests. */
  const say = useCallback(() => {
    const now = () => {
      const box = frame.current
      if (!box) return
      const { zoom, x, y } = view.current
      const seen = seenPart({ zoom, x, y, across: box.clientWidth, down: box.clientHeight }, width, height)
      if (!shallow(seen, store.getState().seen)) store.getState().set({ seen })
    }
    clearTimeout(saying.current)
    if (store.getState().seen) saying.current = setTimeout(now, restMs)
    else now()
  }, [store, width, height])
  useEffect(
    () => () => {
      clearTimeout(saying.current)
    },
    [],
  )

  const apply = useCallback(() => {
    const { zoom, x, y } = view.current
    const element = canvas.current
    if (!element) return
    element.style.transform = `translate(${x}px, ${y}px)`
    element.style.width = `${width * zoom}px`
    element.style.height = `${height * zoom}px`
    // Magnified pixels stay crisp; a picture made smaller is smoothed.
    element.style.imageRendering = zoom * devicePixelRatio >= 1.5 ? 'pixelated' : 'auto'
    const over = partCanvas.current
    const part = partAt.current
    if (over) {
      over.hidden = part === undefined
      if (part) {
        over.style.transform = `translate(${x + part.x * zoom}px, ${y + part.y * zoom}px)`
        over.style.width = `${part.width * zoom}px`
        over.style.height = `${part.height * zoom}px`
        over.style.imageRendering = element.style.imageRendering
      }
    }
    say()
    onZoom(zoom * devicePixelRatio)
    const box = frame.current
    if (box) setPlaced({ x, y, zoom, width: box.clientWidth, height: box.clientHeight })
  }, [width, height, onZoom, say])

  // Another screen has another canvas.
  useLayoutEffect(apply, [apply, screen])

  const place = useCallback(
    (zoom: number, isFitted: boolean) => {
      const box = frame.current
      if (!box) return
      view.current = {
        zoom,
        isFitted,
        x: (box.clientWidth - width * zoom) / 2,
        y: (box.clientHeight - height * zoom) / 2,
      }
      apply()
    },
    [width, height, apply],
  )
  const fit = useCallback(() => {
    const box = frame.current
    if (box) place(Math.min((box.clientWidth - 16) / width, (box.clientHeight - 12) / height), true)
  }, [place, width, height])
  useImperativeHandle(
    ref,
    () => ({
      fit,
      fullSize: () => {
        place(1 / devicePixelRatio, false)
      },
    }),
    [fit, place],
  )

  useLayoutEffect(() => {
    const box = frame.current
    if (!box) return
    const observer = new ResizeObserver(() => {
      if (view.current.isFitted) fit()
    })
    observer.observe(box)
    const wheel = (event: WheelEvent) => {
      event.preventDefault()
      const { zoom, x, y } = view.current
      const { left, top } = box.getBoundingClientRect()
      const next = Math.min(largest, Math.max(smallest, zoom * Math.exp(-event.deltaY * 0.0015)))
      const [px, py] = [event.clientX - left, event.clientY - top]
      view.current = {
        zoom: next,
        isFitted: false,
        x: px - ((px - x) * next) / zoom,
        y: py - ((py - y) * next) / zoom,
      }
      apply()
    }
    // React listens to wheels passively, where the page could not be kept from scrolling.
    box.addEventListener('wheel', wheel, { passive: false })
    return () => {
      observer.disconnect()
      box.removeEventListener('wheel', wheel)
    }
  }, [fit, apply])

  useEffect(
    () =>
      onPicture((shown, serial) => {
        const element = canvas.current
        if (!element) return
        const { screen: of } = store.getState().comp
        const isMoved = partAt.current !== shown.part
        partAt.current = shown.part
        drawCodes(shown.part && partCanvas.current ? partCanvas.current : element, shown, of)
        if (isMoved) apply()
        element.dataset['serial'] = String(serial)
        if (!shown.part) element.dataset['reduction'] = String(shown.reduction)
        element.dataset['part'] = shown.part ? Object.values(shown.part).join(' ') : ''
        element.dataset['settled'] = String(shown.isSettled)
      }),
    [onPicture, store, apply],
  )

  useEffect(
    () =>
      onFrame((codes, shownFrame) => {
        const element = canvas.current
        if (!element) return
        partAt.current = undefined
        if (partCanvas.current) partCanvas.current.hidden = true
        drawCodes(element, codes, store.getState().comp.screen)
        element.dataset['frame'] = String(shownFrame)
        const { shown, late } = player?.count ?? { shown: 0, late: 0 }
        element.dataset['played'] = `${shown} ${late}`
      }),
    [onFrame, player, store],
  )

  // Told by hand: each move of a dial asks for a picture, and nothing here is drawn otherwise for it.
  useEffect(() => {
    const tell = (wanted: number) => {
      if (canvas.current) canvas.current.dataset['wanted'] = String(wanted)
    }
    tell(store.getState().wanted)
    return store.subscribe((now, before) => {
      if (now.wanted !== before.wanted) tell(now.wanted)
    })
  }, [store, screen])

  /** Pixel of the full frame under the pointer. */
  const pixelUnder = (event: PointerEvent): [number, number] => {
    const box = frame.current!.getBoundingClientRect()
    const { zoom, x, y } = view.current
    return [
      Math.floor((event.clientX - box.left - x) / zoom),
      Math.floor((event.clientY - box.top - y) / zoom),
    ]
  }
  const isInside = ([x, y]: readonly [number, number]) => x >= 0 && y >= 0 && x < width && y < height

  useEffect(() => {
    if (!picking) return
    const press = (event: KeyboardEvent) => {
      if (event.key === 'Escape') store.getState().set({ picking: undefined })
    }
    window.addEventListener('keydown', press)
    return () => {
      window.removeEventListener('keydown', press)
    }
  }, [picking, store])

  const move = (event: PointerEvent) => {
    const { zoom, x, y } = view.current
    if (drag.current) {
      view.current = {
        zoom,
        isFitted: false,
        x: x + event.clientX - drag.current.x,
        y: y + event.clientY - drag.current.y,
      }
      drag.current = { x: event.clientX, y: event.clientY }
      apply()
      return
    }
    const pixel = pixelUnder(event)
    onPoint(isInside(pixel) ? pixel : undefined)
  }

  return (
    <div
      ref={frame}
      className="absolute inset-0 cursor-crosshair touch-none overflow-hidden"
      onPointerDown={(event) => {
        const pixel = pixelUnder(event)
        if (picking && isInside(pixel)) {
          picking.pick(pixel)
          if (!picking.isKept) store.getState().set({ picking: undefined })
          return
        }
        drag.current = { x: event.clientX, y: event.clientY }
        event.currentTarget.setPointerCapture(event.pointerId)
      }}
      onPointerMove={move}
      onPointerUp={() => {
        drag.current = undefined
      }}
      onPointerLeave={() => {
        if (!drag.current) onPoint(undefined)
      }}
    >
      <canvas
        key={screen}
        ref={canvas}
        className="absolute left-0 top-0 origin-top-left will-change-transform"
        data-testid="picture"
        aria-label="The picture"
      />
      <canvas
        key={`part ${screen}`}
        ref={partCanvas}
        className="pointer-events-none absolute left-0 top-0 origin-top-left will-change-transform"
        data-testid="picture-part"
        aria-hidden
        hidden
      />
      <Wipe frame={frame} place={placed} />
      <ScopeRegion place={placed} />
      {picking && (
        <p className="pointer-events-none absolute inset-x-0 bottom-2 z-20 text-center">
          <span className="rounded bg-primary px-2.5 py-1 text-xs text-primary-content" role="status">
            {picking.words} · Escape leaves
          </span>
        </p>
      )}
      {isDrawing && drawTool && !picking && (
        <p className="pointer-events-none absolute inset-x-0 bottom-1.5 z-20 text-center">
          <span className="rounded bg-base-300/85 px-2.5 py-1 text-xs text-base-content/80" role="status">
            {toolHints[drawTool]} · middle button pans
          </span>
        </p>
      )}
      {placed.width > 0 &&
        !picking &&
        (isDrawing ? <ShapeEditor size={placed} place={placed} /> : <Handles size={placed} place={placed} />)}
    </div>
  )
}

'use client'

import { useEffect, useRef, useState, type PointerEvent, type RefObject } from 'react'
import type { Screen } from '../../core/comp/schema.ts'
import { isHuge, type Part } from '../../core/engine/work-area.ts'
import { askWhenSettled } from '../shot/ask-when-settled.ts'
import { seenReduction } from '../shot/follow-picture.ts'
import { useShot, useShotContext } from '../shot/shot-context.tsx'
import { sideTarget } from './compare.ts'
import { drawCodes } from './draw-codes.ts'

/**
 * A picture that was saved; undefined where there is none. Codes for a screen of gamma 2.4 stay what they are, as those of the picture beside it do;
 * all others are what their file says.
 */
async function savedPicture(path: string, screen: Screen | undefined): Promise<ImageBitmap | undefined> {
  try {
    const answer = await fetch(path)
    if (!answer.ok) return undefined
    const colorSpaceConversion = screen === 'gamma-2.4' ? 'none' : 'default'
    return await createImageBitmap(await answer.blob(), { colorSpaceConversion })
  } catch {
    return undefined
  }
}

/** A canvas of more pixels takes long to be made whole. */
const largePixels = 4e6

/**
 * The right side of a comparison, laid over the picture and cut at a line that is dragged. `place` is the picture's corner and
 * zoom in the frame.
 */
export function Wipe({
  frame,
  place,
}: {
  frame: RefObject<HTMLDivElement | null>
  place: { readonly x: number; readonly y: number; readonly zoom: number }
}) {
  const { id, engine, store, onPicture } = useShotContext()
  const { set } = store.getState()
  const compare = useShot((s) => s.compare)
  const { width, height } = useShot((s) => s.comp.canvas)
  const screen = useShot((s) => s.comp.screen)
  const canvas = useRef<HTMLCanvasElement>(null)
  const right = compare?.right
  /** Where on the picture the other side lies, if it is a part of it. */
  const [part, setPart] = useState<Part>()
  useEffect(() => {
    if (!engine || right === undefined) return
    const draw = (source: CanvasImageSource, w: number, h: number) => {
      const element = canvas.current
      if (!element) return
      element.width = w
      element.height = h
      setPart(undefined)
      const colorSpace = store.getState().comp.screen === 'p3' ? 'display-p3' : 'srgb'
      element.getContext('2d', { colorSpace })!.drawImage(source, 0, 0)
    }
    const showSaved = async (isWanted: () => boolean) => {
      const state = store.getState()
      const path = right.startsWith('render ')
        ? `/api/renders/${right.slice(7)}/shown/${state.frame}`
        : `/api/shots/${id}/stills/${right.slice(6)}`
      const image = await savedPicture(path, state.comp.screen)
      if (!isWanted()) return
      // A render shows the frame that is looked at; of one that it has not there is nothing to lay over.
      if (image) draw(image, image.width, image.height)
      else if (canvas.current) canvas.current.width = 1
    }
    /** Makes what is seen of the other side, as the picture itself is, or as much of it as there will be. */
    const show = async (isWanted: () => boolean, isLast: boolean): Promise<boolean> => {
      const state = store.getState()
      const asked = sideTarget(state, right)
      if (!asked) return false
      const reduction = seenReduction(state)
      const isPart = reduction === 1 && (!isLast || isHuge(state.comp))
      const view = {
        gain: 2 ** state.exposure,
        channel: state.channel,
        checker: state.isCheckered ? 8 : 0,
      }
      const side = await engine.side(
        { comp: asked.comp, media: state.media, frame: asked.frame ?? state.frame },
        asked.target,
        view,
        { reduction, isLast, seen: isPart ? state.seen : undefined },
      )
      if (!side || !canvas.current || !isWanted()) return false
      drawCodes(canvas.current, side, state.comp.screen)
      setPart(side.part)
      return true
    }
    let isFirst = true
    // What it shows may change with the comp.
    const stopSettled = askWhenSettled(onPicture, (isWanted) => {
      const { comp, seen } = store.getState()
      // Of a large picture what is seen comes first.
      const isLarge = isFirst && seen !== undefined && comp.canvas.width * comp.canvas.height > largePixels
      isFirst = false
      if (!sideTarget(store.getState(), right)) void showSaved(isWanted)
      else if (!isLarge) void show(isWanted, true)
      else void show(isWanted, false).then((isShown) => isShown && show(isWanted, true))
    })
    let isCurrent = true
    const stopParts = onPicture((shown) => {
      if (shown.part && !shown.isSettled) void show(() => isCurrent, false)
    })
    return () => {
      isCurrent = false
      stopSettled()
      stopParts()
    }
  }, [engine, store, onPicture, right, id, screen])
  if (!compare) return null
  const [x, w] = [place.x, width * place.zoom]
  const cut = x + w * compare.at
  const over = part ?? { x: 0, y: 0, width, height }
  const [left, across] = [x + over.x * place.zoom, over.width * place.zoom]
  const hidden = Math.min(1, Math.max(0, (cut - left) / across))
  const drag = (event: PointerEvent<HTMLDivElement>) => {
    event.stopPropagation()
    if (event.buttons === 0) return
    const box = frame.current!.getBoundingClientRect()
    set({ compare: { ...compare, at: Math.min(1, Math.max(0, (event.clientX - box.left - x) / w)) } })
  }
  return (
    <>
      <canvas
        key={screen}
        ref={canvas}
        className="pointer-events-none absolute left-0 top-0 origin-top-left"
        style={{
          transform: `translate(${left}px, ${place.y + over.y * place.zoom}px)`,
          width: across,
          height: over.height * place.zoom,
          clipPath: `inset(0 0 0 ${hidden * 100}%)`,
          imageRendering: place.zoom >= 1.5 ? 'pixelated' : 'auto',
        }}
        aria-label="The other side"
        data-testid="other-side"
      />
      <div
        role="slider"
        tabIndex={0}
        aria-label="Line between the two sides"
        aria-valuemin={0}
        aria-valuemax={100}
        aria-valuenow={Math.round(compare.at * 100)}
        className="absolute top-0 z-10 w-4 -translate-x-1/2 cursor-ew-resize touch-none"
        style={{ left: cut, height: '100%' }}
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId)
          drag(event)
        }}
        onPointerMove={drag}
        onKeyDown={(event) => {
          const by = { ArrowLeft: -0.02, ArrowRight: 0.02 }[event.key]
          if (by === undefined) return
          event.preventDefault()
          event.stopPropagation()
          set({ compare: { ...compare, at: Math.min(1, Math.max(0, compare.at + by)) } })
        }}
      >
        <span className="absolute inset-y-0 left-1/2 w-0.5 -translate-x-1/2 bg-white shadow-[0_0_0_1px_rgb(0_0_0/0.5)]" />
        <span className="gem absolute left-1/2 top-1/2 h-7 w-3 -translate-x-1/2 -translate-y-1/2 bg-white" />
      </div>
    </>
  )
}

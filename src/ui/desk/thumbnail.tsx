'use client'

import { useEffect, useRef } from 'react'
import { useShot } from '../shot/shot-context.tsx'

/** The live small picture of a point of the desk. */
export function Thumbnail({ of, isDim = false }: { of: string; isDim?: boolean }) {
  const thumb = useShot((s) => s.thumbs.get(of))
  const canvas = useRef<HTMLCanvasElement>(null)
  useEffect(() => {
    const element = canvas.current
    if (!element || !thumb) return
    element.width = thumb.width
    element.height = thumb.height
    element
      .getContext('2d')!
      .putImageData(new ImageData(new Uint8ClampedArray(thumb.pixels), thumb.width, thumb.height), 0, 0)
  }, [thumb])
  return (
    <canvas
      ref={canvas}
      aria-hidden
      className={`h-[2.4rem] w-[4.26rem] shrink-0 bg-black object-contain ${isDim ? 'opacity-40' : ''}`}
    />
  )
}

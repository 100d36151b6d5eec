'use client'

import { useEffect, useRef } from 'react'

export interface SmallPixels {
  readonly width: number
  readonly height: number
  readonly pixels: Uint8Array<ArrayBuffer>
}

/** A small picture out of an engine; black until it is there. */
export function SmallPicture({
  picture,
  label,
  className,
}: {
  picture: SmallPixels | undefined
  /** For those who do not see it; without one it is decoration. */
  label?: string
  className: string
}) {
  const canvas = useRef<HTMLCanvasElement>(null)
  useEffect(() => {
    const element = canvas.current
    if (!element || !picture) return
    element.width = picture.width
    element.height = picture.height
    const image = new ImageData(new Uint8ClampedArray(picture.pixels), picture.width, picture.height)
    element.getContext('2d')!.putImageData(image, 0, 0)
  }, [picture])
  return (
    <canvas
      ref={canvas}
      {...(label === undefined ? { 'aria-hidden': true } : { 'aria-label': label, role: 'img' })}
      className={`bg-black object-contain ${className}`}
    />
  )
}

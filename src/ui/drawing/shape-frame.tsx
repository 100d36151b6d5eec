'use client'

import type Konva from 'konva'
import { useEffect, useRef, useState } from 'react'
import { Rect, Transformer } from 'react-konva'
import { mapPoints } from '../../core/comp/drawing-edits.ts'
import type { Path } from '../../core/comp/drawing.ts'
import type { Affine } from '../../core/picture/affine.ts'
import { boundsOf } from '../../core/shapes/outline.ts'
import { newGesture } from '../dials/value-field.tsx'
import { accent, type Placed } from './shape-parts.tsx'
import { roundVertex } from './vertices.ts'

/** The box around chosen points, or around all where fewer than two are chosen. */
export function framed(path: Path, points: readonly number[]) {
  return boundsOf(points.length >= 2 ? path.filter((_, i) => points.includes(i)) : path)
}

/** A frame that moves, turns and scales a shape, or chosen points of it. */
export function ShapeFrame({
  path,
  points,
  place,
  onChange,
}: {
  path: Path
  points: readonly number[]
  place: Placed
  onChange: (path: Path, gesture: string) => void
}) {
  /** What is transformed begins from here, so that nothing adds up. */
  const [transforming, setTransforming] = useState<{ path: Path; gesture: string }>()
  const rect = useRef<Konva.Rect>(null)
  const transformer = useRef<Konva.Transformer>(null)
  const box = framed(transforming?.path ?? path, points)
  useEffect(() => {
    const frame = transformer.current
    if (!frame || !rect.current) return
    if (frame.nodes()[0] !== rect.current) frame.nodes([rect.current])
    if (!transforming) frame.forceUpdate()
  })
  const transform = () => {
    const node = rect.current
    const base = transforming
    const bounds = base && framed(base.path, points)
    if (!node || !base || !bounds) return
    const m = node.getTransform().getMatrix()
    const [x0, y0] = [place.x + bounds[0] * place.zoom, place.y + bounds[1] * place.zoom]
    // From the frame to the screen, moved so that the box begins at its corner, through the node, and back.
    const { zoom, x, y } = place
    const [a, b, d, e] = [m[0]!, m[2]!, m[1]!, m[3]!]
    const shift = (px: number, py: number) => [a * px + b * py + m[4]!, d * px + e * py + m[5]!] as const
    const [cx, cy] = shift(x - x0, y - y0)
    const affine: Affine = [a, b, (cx - x) / zoom, d, e, (cy - y) / zoom]
    onChange(
      mapPoints(base.path, affine, points.length >= 2 ? points : undefined).map(roundVertex),
      base.gesture,
    )
  }

  /** The frame is again that of the points, upright. */
  const endTransform = () => {
    rect.current?.setAttrs({ scaleX: 1, scaleY: 1, rotation: 0, skewX: 0, skewY: 0 })
    setTransforming(undefined)
  }
  if (!box) return null
  return (
    <>
      <Rect
        ref={rect}
        x={place.x + box[0] * place.zoom}
        y={place.y + box[1] * place.zoom}
        width={(box[2] - box[0]) * place.zoom}
        height={(box[3] - box[1]) * place.zoom}
        listening={false}
        onTransformStart={() => {
          setTransforming({ path, gesture: newGesture() })
          window.addEventListener('mouseup', endTransform, { once: true })
        }}
        onTransform={transform}
      />
      <Transformer
        ref={transformer}
        padding={10}
        flipEnabled={false}
        borderStroke={accent}
        borderDash={[3, 3]}
        anchorStroke={accent}
        anchorFill="#14203f"
        anchorSize={8}
        rotateAnchorOffset={22}
        rotationSnaps={[]}
        keepRatio={false}
      />
    </>
  )
}

'use client'

import type Konva from 'konva'
import { memo } from 'react'
import { Circle, Group, Line, Rect, Shape as Outline } from 'react-konva'
import type { Path, Vertex } from '../../core/comp/drawing.ts'
import { controls } from '../../core/shapes/outline.ts'

// What shapes look like over the picture: lines, points and their handles.

type Point = readonly [number, number]
export type PointerAt = Konva.KonvaEventObject<PointerEvent>

/** Where the picture lies in its view. */
export interface Placed {
  readonly x: number
  readonly y: number
  readonly zoom: number
}

export const accent = '#7ea2ff'
const dark = '#14203f'

function tracePath(context: Konva.Context, path: Path, { x, y, zoom }: Placed): void {
  const at = (p: Point): [number, number] => [x + p[0] * zoom, y + p[1] * zoom]
  context.beginPath()
  path.forEach((v, i) => {
    if (i === 0) context.moveTo(...at(v.at))
    const [, b, c, d] = controls(path, i)
    context.bezierCurveTo(...at(b), ...at(c), ...at(d))
  })
  context.closePath()
}

export const OutlineOf = memo(function OutlineOf({
  path,
  place,
  colour,
  dash,
  name,
  onDown,
  onDouble,
}: {
  path: Path
  place: Placed
  colour: string
  dash?: number[]
  name?: string
  onDown?: (event: PointerAt) => void
  onDouble?: (event: PointerAt) => void
}) {
  const draw = (context: Konva.Context, shape: Konva.Shape) => {
    tracePath(context, path, place)
    context.fillStrokeShape(shape)
  }
  return (
    <>
      <Outline sceneFunc={draw} stroke="#000" strokeWidth={3.5} opacity={0.45} listening={false} />
      <Outline
        sceneFunc={draw}
        name={name ?? ''}
        stroke={colour}
        strokeWidth={1.5}
        hitStrokeWidth={12}
        // Invisible, but it can be taken hold of.
        {...(onDown ? { fill: 'rgba(0,0,0,0.004)', onPointerDown: onDown } : {})}
        {...(onDouble ? { onPointerDblClick: onDouble } : {})}
        {...(dash ? { dash } : {})}
        listening={onDown !== undefined}
      />
    </>
  )
})

export const Anchor = memo(function Anchor({
  index,
  x,
  y,
  isSmooth,
  isSelected,
  on,
}: {
  index: number
  x: number
  y: number
  isSmooth: boolean
  isSelected: boolean
  on: AnchorEvents
}) {
  const look = {
    name: `point ${index}`,
    x,
    y,
    stroke: '#0b1020',
    strokeWidth: 1.5,
    fill: isSelected ? accent : '#fff',
    hitStrokeWidth: 10,
    draggable: true,
    perfectDrawEnabled: false,
    onPointerDown: (event: PointerAt) => {
      on.down(index, event)
    },
    onPointerDblClick: (event: PointerAt) => {
      on.convert(index, event)
    },
    onDragStart: () => {
      on.start(index)
    },
    onDragMove: (event: Konva.KonvaEventObject<DragEvent>) => {
      on.move(index, event)
    },
  }
  return isSmooth ? (
    <Circle radius={4.5} {...look} />
  ) : (
    <Rect width={8} height={8} offsetX={4} offsetY={4} {...look} />
  )
})

export interface AnchorEvents {
  down(index: number, event: PointerAt): void
  convert(index: number, event: PointerAt): void
  start(index: number): void
  move(index: number, event: Konva.KonvaEventObject<DragEvent>): void
}

/** The handles of a point. */
export function Bends({
  index,
  vertex,
  toScreen,
  onBegin,
  onBend,
}: {
  index: number
  vertex: Vertex
  toScreen: (p: Point) => Point
  onBegin: (index: number) => void
  onBend: (index: number, key: 'in' | 'out', event: Konva.KonvaEventObject<DragEvent>) => void
}) {
  return (['in', 'out'] as const).map((key) => {
    const handle = vertex[key]
    if (!handle) return null
    const [x, y] = toScreen(vertex.at)
    const [hx, hy] = toScreen([vertex.at[0] + handle[0], vertex.at[1] + handle[1]])
    return (
      <Group key={key}>
        <Line points={[x, y, hx, hy]} stroke={accent} strokeWidth={1} listening={false} />
        <Circle
          name={`handle ${key} ${index}`}
          x={hx}
          y={hy}
          radius={3.5}
          fill={dark}
          stroke={accent}
          strokeWidth={1.5}
          hitStrokeWidth={10}
          draggable
          onPointerDown={(event) => {
            event.evt.stopPropagation()
            event.cancelBubble = true
          }}
          onDragStart={() => {
            onBegin(index)
          }}
          onDragMove={(event) => {
            onBend(index, key, event)
          }}
        />
      </Group>
    )
  })
}

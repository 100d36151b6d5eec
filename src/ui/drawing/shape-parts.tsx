'use client'

import type Konva from 'konva'
import { memo } from 'react'
import { Circle, Group, Line, Shape as Outline } from 'react-konva'
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

/** A point with handles. */
export const isSmooth = ({ in: into, out }: Vertex): boolean => into !== undefined || out !== undefined

/** All points of an outline as one mark: corners square, smooth ones round, selected ones filled. */
export function Points({
  path,
  place: { x, y, zoom },
  selected,
  onDown,
  onDouble,
}: {
  path: Path
  place: Placed
  selected: readonly number[]
  onDown: (event: PointerAt) => void
  onDouble: (event: PointerAt) => void
}) {
  const mark = (context: Konva.Context, v: Vertex, size: number) => {
    const [px, py] = [x + v.at[0] * zoom, y + v.at[1] * zoom]
    if (isSmooth(v)) {
      context.moveTo(px + size, py)
      context.arc(px, py, size, 0, 2 * Math.PI, false)
    } else context.rect(px - size, py - size, 2 * size, 2 * size)
  }
  return (
    <Outline
      name="points"
      sceneFunc={(context) => {
        context.setAttr('strokeStyle', '#0b1020')
        context.setAttr('lineWidth', 1.5)
        const chosen = new Set(selected)
        for (const isChosen of [false, true]) {
          context.beginPath()
          path.forEach((v, i) => {
            if (chosen.has(i) === isChosen) mark(context, v, 4)
          })
          context.setAttr('fillStyle', isChosen ? accent : '#fff')
          context.fill()
          context.stroke()
        }
      }}
      hitFunc={(context, shape) => {
        context.beginPath()
        for (const v of path) mark(context, v, 8)
        context.fillShape(shape)
      }}
      fill="#fff"
      onPointerDown={onDown}
      onPointerDblClick={onDouble}
    />
  )
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

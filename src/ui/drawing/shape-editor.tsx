'use client'

import type Konva from 'konva'
import { useMemo, useRef, useState } from 'react'
import { Circle, Layer, Line, Rect, Stage } from 'react-konva'
import { convertPoint, mapPoints, setPath, splitShape } from '../../core/comp/drawing-edits.ts'
import type { Path, Shape, Vertex } from '../../core/comp/drawing.ts'
import { drawnFrames, outlineAt, shapesOn } from '../../core/comp/drawing-at.ts'
import type { Affine } from '../../core/picture/affine.ts'
import { ellipse, nearestOn, rectangle } from '../../core/shapes/outline.ts'
import { newGesture } from '../dials/value-field.tsx'
import { useShot, useShotContext } from '../shot/shot-context.tsx'
import { accent, Bends, isSmooth, OutlineOf, Points, type Placed, type PointerAt } from './shape-parts.tsx'
import { framed, ShapeFrame } from './shape-frame.tsx'
import { smoothLine } from './smooth-line.ts'
import { putShape } from './put-shape.ts'
import { useShapeKeys } from './use-shape-keys.ts'
import { isAligned, round, roundVertex } from './vertices.ts'
import { useDrawing } from './use-drawing.ts'

type Point = readonly [number, number]

/** Neighbouring drawings: the one before warm, the one after green. */
const skins = { before: '#ffb070', after: '#8fe0a8' } as const
/** Pixels of the screen within which a dragged point falls into line. */
const snapReach = 7

/** Shapes over the picture: to draw, to take hold of, to bend. Everything goes through edits that can be undone. */
export default function ShapeEditor({
  size,
  place,
}: {
  size: { readonly width: number; readonly height: number }
  place: Placed
}) {
  const { store } = useShotContext()
  const drawn = useDrawing()
  const frame = useShot((s) => s.frame)
  const canvas = useShot((s) => s.comp.canvas)
  const isSnapping = useShot((s) => s.isSnapping)
  const hasOnionSkin = useShot((s) => s.hasOnionSkin)
  /** Points of a pen's outline that is not closed yet, or of a freehand line; corners of a box; a frame around points. */
  const [pen, setPen] = useState<Path>([])
  const [line, setLine] = useState<readonly Point[]>([])
  const [box, setBox] = useState<readonly [Point, Point]>()
  const [pointer, setPointer] = useState<Point>()
  /** What is dragged begins from here, so that nothing adds up. */
  const begun = useRef<{ path: Path; gesture: string; at: Point }>(undefined)
  const stage = useRef<Konva.Stage>(null)
  const tool = drawn?.draw.tool
  const id = drawn?.drawing.id

  const toFrame = (sx: number, sy: number): Point => [
    (sx - place.x) / place.zoom,
    (sy - place.y) / place.zoom,
  ]
  const toScreen = ([x, y]: Point): Point => [place.x + x * place.zoom, place.y + y * place.zoom]
  const pointerAt = (): Point => {
    const at = stage.current?.getPointerPosition()
    const [x, y] = toFrame(at?.x ?? 0, at?.y ?? 0)
    return [round(x), round(y)]
  }
  const shapes = drawn ? shapesOn(drawn.drawing, frame) : []
  /** Falls into line with points of other places and with the picture's edges and middle, when that is wished. */
  const snapped = (to: Point, but: readonly number[]): Point => {
    if (!isSnapping) return to
    const own = drawn?.path?.filter((_, i) => !but.includes(i)).map((v) => v.at) ?? []
    const others = shapes
      .filter((s) => s !== drawn?.shape)
      .flatMap((s) => outlineAt(s.path, frame).map((v) => v.at))
    const reach = snapReach / place.zoom
    const nearest = (axis: 0 | 1, size: number) => {
      const lines = [...own, ...others].map((p) => p[axis]).concat(0, size / 2, size)
      const best = lines.toSorted((a, b) => Math.abs(a - to[axis]) - Math.abs(b - to[axis]))[0]!
      return Math.abs(best - to[axis]) <= reach ? best : to[axis]
    }
    return [nearest(0, canvas.width), nearest(1, canvas.height)]
  }

  const edit = (name: string, path: Path, gesture?: string) => {
    if (!drawn?.shape) return
    const shape = drawn.shape.id
    store.getState().edit(name, (c) => setPath(c, drawn.drawing.id, frame, shape, path), gesture)
  }
  const add = (name: string, path: Path) => {
    if (id) putShape(store, id, name, path)
  }
  const closePen = () => {
    if (pen.length >= 2) add('Outline', pen)
    setPen([])
  }
  const select = (shape: string | undefined, points: readonly number[] = []) => {
    const { draw, set } = store.getState()
    if (draw) set({ draw: { ...draw, shape, points } })
  }

  useShapeKeys({ pen, setPen, closePen, select, edit })
  const path = drawn?.path
  const points = useMemo(() => drawn?.draw.points ?? [], [drawn?.draw.points])
  const isEditable = drawn?.shape !== undefined && !drawn.shape.locked && tool === 'choose'
  const hasFrame = isEditable && framed(path ?? [], points) !== undefined && points.length !== 1

  if (!drawn) return null

  /** Follows the pointer until it is let go, also beyond the view; meanwhile nothing else is looked for under it. */
  const dragWith = (follow: () => void) => {
    const view = stage.current!
    const layer = view.getLayers()[0]
    layer?.listening(false)
    const moved = (event: PointerEvent) => {
      view.setPointersPositions(event)
      follow()
    }
    const end = () => {
      layer?.listening(true)
      window.removeEventListener('pointermove', moved)
    }
    window.addEventListener('pointermove', moved)
    window.addEventListener('pointerup', end, { once: true })
  }
  /** The point of the selected shape under the pointer. */
  const pointUnder = (): number => {
    const [x, y] = pointerAt()
    const distance = ({ at }: Vertex) => Math.hypot(at[0] - x, at[1] - y)
    const all = (path ?? []).map(distance)
    return all.indexOf(Math.min(...all))
  }
  const takePoint = (event: PointerAt) => {
    event.evt.stopPropagation()
    event.cancelBubble = true
    const index = pointUnder()
    if (event.evt.button !== 0 || !path || !drawn.shape || index < 0) return
    const { shape } = drawn
    const isIn = points.includes(index)
    if (event.evt.shiftKey) {
      select(shape.id, isIn ? points.filter((p) => p !== index) : [...points, index])
      return
    }
    const moved = isIn ? points : [index]
    if (!isIn) select(shape.id, moved)
    const [start, gesture] = [pointerAt(), newGesture()]
    const from = path[index]!.at
    dragWith(() => {
      const [x, y] = pointerAt()
      const [tx, ty] = snapped([from[0] + x - start[0], from[1] + y - start[1]], moved)
      const shift: Affine = [1, 0, round(tx) - from[0], 0, 1, round(ty) - from[1]]
      edit(`Move points of ${shape.name}`, mapPoints(path, shift, moved), gesture)
    })
  }
  const turnPoint = (event: PointerAt) => {
    event.cancelBubble = true
    const index = pointUnder()
    const vertex = path?.[index]
    if (!vertex || !drawn.shape) return
    const to = isSmooth(vertex) ? 'corner' : 'smooth'
    const name = to === 'corner' ? 'Corner' : 'Smooth point'
    edit(`${name} in ${drawn.shape.name}`, convertPoint(path, index, to))
  }
  const beginBend = (index: number) => {
    const vertex = path?.[index]
    if (path && vertex) begun.current = { path, gesture: newGesture(), at: vertex.at }
  }
  const bend = (index: number, key: 'in' | 'out', event: Konva.KonvaEventObject<DragEvent>) => {
    const from = begun.current
    const vertex = from?.path[index]
    if (!from || !vertex || !drawn.shape) return
    const { x, y } = event.target.position()
    const [fx, fy] = toFrame(x, y)
    const handle: [number, number] = [round(fx - vertex.at[0]), round(fy - vertex.at[1])]
    const otherKey = key === 'in' ? 'out' : 'in'
    const other = vertex[otherKey]
    // A smooth point stays smooth; with Alt the two sides go their own ways.
    const isFree = (event.evt as unknown as MouseEvent).altKey || !other || !isAligned(vertex)
    const scale = isFree ? 0 : Math.hypot(...other) / Math.max(1e-6, Math.hypot(...handle))
    const next: Vertex = {
      ...vertex,
      [key]: handle,
      ...(isFree ? {} : { [otherKey]: [round(-handle[0] * scale), round(-handle[1] * scale)] }),
    }
    edit(`Bend ${drawn.shape.name}`, from.path.with(index, next), from.gesture)
  }

  const down = (event: PointerAt) => {
    // The middle button pans, as the left one does without a drawing.
    if (event.evt.button !== 0) return
    event.evt.stopPropagation()
    // What has hold of its own, as the frame's corners, begins no frame around points.
    if (tool === 'choose' && event.target !== stage.current) return
    const at = pointerAt()
    switch (tool) {
      case 'pen': {
        const first = pen[0]
        const isClose =
          first && pen.length >= 2 && Math.hypot(at[0] - first.at[0], at[1] - first.at[1]) * place.zoom < 9
        if (isClose) closePen()
        else {
          setPen([...pen, { at: [...snapped(at, [])] }])
          begun.current = { path: pen, gesture: '', at }
        }
        return
      }
      case 'freehand':
        setLine([at])
        return
      case 'ellipse':
      case 'box':
        setBox([snapped(at, []), at])
        return
      default:
        setBox([at, at])
    }
  }
  const move = (event: PointerAt) => {
    const at = pointerAt()
    if (tool === 'pen') {
      setPointer(at)
      const last = pen.at(-1)
      const isHeld = begun.current && event.evt.buttons === 1 && last
      if (!isHeld) return
      const [dx, dy] = [round(at[0] - last.at[0]), round(at[1] - last.at[1])]
      if (Math.hypot(dx, dy) * place.zoom > 4)
        setPen(pen.with(-1, { at: last.at, in: [-dx, -dy], out: [dx, dy] }))
    }
    if (line.length > 0) setLine((before) => [...before, at])
    if (box) setBox([box[0], tool === 'choose' ? at : snapped(at, [])])
  }
  const corners = (isEven: boolean): [number, number, number, number] => {
    const [[ax, ay], [bx, by]] = box!
    const side = Math.max(Math.abs(bx - ax), Math.abs(by - ay))
    const [x, y] = isEven ? [ax + Math.sign(bx - ax) * side, ay + Math.sign(by - ay) * side] : [bx, by]
    return [Math.min(ax, x), Math.min(ay, y), Math.max(ax, x), Math.max(ay, y)]
  }
  const up = (event: PointerAt) => {
    begun.current = undefined
    if (line.length > 0) {
      add('Freehand', smoothLine(line, Math.max(0.5, 2.5 / place.zoom)))
      setLine([])
    }
    if (!box) return
    const [left, top, right, bottom] = corners(event.evt.shiftKey && tool !== 'choose')
    setBox(undefined)
    const isDrag = (right - left) * place.zoom > 3 || (bottom - top) * place.zoom > 3
    if (tool === 'choose') {
      if (!isDrag) select(undefined)
      else {
        const isIn = ([x, y]: Point) => x >= left && x <= right && y >= top && y <= bottom
        const inside = (p: Path) => p.flatMap((v, i) => (isIn(v.at) ? [i] : []))
        // Points of the selected shape, or of the first that has some in the frame.
        const candidates = drawn.shape ? [drawn.shape] : shapes.filter((s) => s.shown && !s.locked)
        const found = candidates.find((s) => inside(outlineAt(s.path, frame)).length > 0)
        if (found) select(found.id, inside(outlineAt(found.path, frame)))
        else select(drawn.shape?.id)
      }
    } else if (isDrag && tool === 'ellipse')
      add('Ellipse', ellipse(left, top, right, bottom).map(roundVertex))
    else if (isDrag && tool === 'box') add('Box', rectangle(left, top, right, bottom))
  }

  const frames = drawnFrames(drawn.drawing)
  const own = drawn.drawing.time === 'frames' ? frames.findLast((f) => f <= frame) : frame
  const neighbours = hasOnionSkin
    ? ([
        ['before', frames.findLast((f) => f < (own ?? frame))],
        ['after', frames.find((f) => f > frame)],
      ] as const)
    : []
  const draftEnd: Path = pen.length > 0 && pointer ? [...pen, { at: [...pointer] }] : pen
  const drag = (shape: Shape) => (event: PointerAt) => {
    if (event.evt.button !== 0 || tool !== 'choose') return
    event.evt.stopPropagation()
    event.cancelBubble = true
    if (shape.id !== drawn.draw.shape) select(shape.id)
    else if (points.length > 0) select(shape.id)
    const start = pointerAt()
    const base = outlineAt(shape.path, frame)
    const gesture = newGesture()
    const follow = () => {
      const [x, y] = pointerAt()
      const [dx, dy] = [x - start[0], y - start[1]]
      if (Math.hypot(dx, dy) * place.zoom < 3 && !hasMoved) return
      hasMoved = true
      const moved = mapPoints(base, [1, 0, dx, 0, 1, dy]).map(roundVertex)
      store
        .getState()
        .edit(`Move ${shape.name}`, (c) => setPath(c, drawn.drawing.id, frame, shape.id, moved), gesture)
    }
    let hasMoved = false
    dragWith(follow)
  }
  const addOn = (shape: Shape) => (event: PointerAt) => {
    event.cancelBubble = true
    const on = nearestOn(outlineAt(shape.path, frame), pointerAt())
    if (!on || on.distance * place.zoom > 12) return
    store
      .getState()
      .edit(`Add a point to ${shape.name}`, (c) =>
        splitShape(c, drawn.drawing.id, frame, shape.id, on.piece, on.t),
      )
    select(shape.id, [on.piece + 1])
  }

  return (
    <Stage
      ref={stage}
      width={size.width}
      height={size.height}
      className="absolute inset-0"
      style={{ cursor: tool === 'choose' ? 'default' : 'crosshair' }}
      onPointerDown={down}
      onPointerMove={move}
      onPointerUp={up}
    >
      <Layer>
        {neighbours.map(
          ([side, at]) =>
            at !== undefined &&
            shapesOn(drawn.drawing, at)
              .filter((s) => s.shown)
              .map((s) => (
                <OutlineOf
                  key={`${side} ${s.id}`}
                  path={outlineAt(s.path, at)}
                  place={place}
                  colour={skins[side]}
                  dash={[5, 4]}
                />
              )),
        )}
        {shapes
          .filter((s) => s.shown)
          .map((s) => (
            <OutlineOf
              key={s.id}
              name={s.name}
              path={outlineAt(s.path, frame)}
              place={place}
              colour={s === drawn.shape ? accent : '#fff'}
              {...(s.locked || tool !== 'choose' ? {} : { onDown: drag(s), onDouble: addOn(s) })}
              {...(s.locked ? { dash: [2, 3] } : {})}
            />
          ))}
        {hasFrame && path && (
          <ShapeFrame
            path={path}
            points={points}
            place={place}
            onChange={(next, gesture) => {
              edit(`Transform ${drawn.shape!.name}`, next, gesture)
            }}
          />
        )}
        {isEditable && path && (
          <>
            {points
              .flatMap((p) => [p, (p + 1) % path.length, (p + path.length - 1) % path.length])
              .filter((p, i, all) => all.indexOf(p) === i && p < path.length)
              .map((p) => (
                <Bends
                  key={p}
                  index={p}
                  vertex={path[p]!}
                  toScreen={toScreen}
                  onBegin={beginBend}
                  onBend={bend}
                />
              ))}
            <Points path={path} place={place} selected={points} onDown={takePoint} onDouble={turnPoint} />
          </>
        )}
        {draftEnd.length > 0 && (
          <>
            <OutlineOf path={draftEnd} place={place} colour={accent} dash={[4, 3]} />
            {pen.map((v, i) => {
              const [x, y] = toScreen(v.at)
              return (
                <Circle
                  key={i}
                  x={x}
                  y={y}
                  radius={i === 0 ? 6 : 4}
                  fill={i === 0 ? accent : '#fff'}
                  stroke="#0b1020"
                  listening={false}
                />
              )
            })}
          </>
        )}
        {line.length > 1 && (
          <Line points={line.flatMap((p) => toScreen(p))} stroke={accent} strokeWidth={2} listening={false} />
        )}
        {box && (
          <Rect
            x={toScreen(box[0])[0]}
            y={toScreen(box[0])[1]}
            width={(box[1][0] - box[0][0]) * place.zoom}
            height={(box[1][1] - box[0][1]) * place.zoom}
            stroke={accent}
            dash={[3, 3]}
            listening={false}
          />
        )}
      </Layer>
    </Stage>
  )
}

'use client'

import type Konva from 'konva'
import { useRef } from 'react'
import { Circle, Group, Layer, Line, Stage, Text } from 'react-konva'
import { readSetting, type SettingRef } from '../../core/comp/settings.ts'
import { placeOfStep } from '../../core/comp/edits.ts'
import type { Comp, Step } from '../../core/comp/schema.ts'
import { counts, dialLabel, type DialValue } from '../../core/dials/dials.ts'
import type { Effect } from '../../core/effects/effect.ts'
import { effectOf } from '../../core/recipes/effect-of.ts'
import { stepTitle } from '../desk/step-title.ts'
import { fromSlider, toSlider } from '../dials/taper.ts'
import { newGesture } from '../dials/value-field.tsx'
import { useShot, useShotContext } from '../shot/shot-context.tsx'
import { settingNow } from '../shot/use-setting.ts'
import type { Writes } from '../shot/shot-store.ts'
import { PathLines } from './path-lines.tsx'
import { placeLabels } from './place-labels.ts'

type Point = readonly [number, number]

/** Something on the picture that can be dragged; places in pixels of the full frame. */
interface Handle {
  readonly id: string
  readonly label: string
  readonly at: Point
  /** Drawn from here, for what is meant as an offset. */
  readonly from?: Point
  readonly editName: string
  /** What is set when it is dragged there. */
  move(to: Point): Writes
}

/** Kept this far inside the view, in pixels of the screen. */
const inset = 9
const held = (v: number, most: number) => Math.min(most - inset, Math.max(inset, v))

/** Length in pixels of the frame of the arm that turns and scales, at a scale of 100 %. */
const armLength = 140

const dialRef = (step: Step, key: string) => ({ of: 'dial', step: step.id, key }) as const

/** The value of a dial at the frame that is looked at. */
type ValueOf = (key: string) => DialValue | undefined

/** A direction and a length together, drawn from the middle of the frame. */
function directionHandles(
  step: Step,
  effect: Effect,
  valueOf: ValueOf,
  { width, height }: Comp['canvas'],
): Handle[] {
  const middle: Point = [width / 2, height / 2]
  return Object.entries(effect.dials).flatMap(([key, dial]) => {
    if (dial.type !== 'number' || !dial.direction) return []
    const { length: lengthKey } = dial.direction
    const [angle, length] = [valueOf(key), valueOf(lengthKey)]
    if (!counts(dial, valueOf)) return []
    if (typeof angle !== 'number' || typeof length !== 'number') return []
    const turn = (angle * Math.PI) / 180
    const lengthDial = effect.dials[lengthKey]!
    const words = [dialLabel(key, dial), dialLabel(lengthKey, lengthDial).toLowerCase()].join(', ')
    return [
      {
        id: `${step.id} ${key}`,
        label: words,
        at: [middle[0] + length * Math.cos(turn), middle[1] + length * Math.sin(turn)] as Point,
        from: middle,
        editName: `${words} of ${stepTitle(step)}`,
        move: (to: Point) => {
          const [dx, dy] = [to[0] - middle[0], to[1] - middle[1]]
          const raw = (Math.atan2(dy, dx) * 180) / Math.PI
          // Within the circle that its slider shows.
          const near = Math.round((((raw % 360) + 360) % 360) * 10) / 10
          const long = Math.max(1, Math.round(Math.hypot(dx, dy)))
          return [
            [dialRef(step, key), near],
            [dialRef(step, lengthKey), long],
          ]
        },
      },
    ]
  })
}

/** A point of a dial; undefined for what is none. */
const pointOf = (value: DialValue | undefined): Point | undefined =>
  Array.isArray(value) && typeof value[0] === 'number' ? [value[0], Number(value[1])] : undefined

/** A slider laid on the picture: from beside its point to this far right of it, in pixels of the frame. */
const leverFrom = 26
const leverSpan = 200

/** Numbers whose slider also lies beside a point. */
function leverHandles(step: Step, effect: Effect, valueOf: ValueOf): Handle[] {
  return Object.entries(effect.dials).flatMap(([key, dial]) => {
    if (dial.type !== 'number' || dial.lever === undefined || !counts(dial, valueOf)) return []
    const value = valueOf(key)
    const about = pointOf(valueOf(dial.lever))
    if (typeof value !== 'number' || !about) return []
    const label = dialLabel(key, dial)
    return [
      {
        id: `${step.id} ${key}`,
        label,
        at: [about[0] + leverFrom + leverSpan * toSlider(dial, value), about[1]] as Point,
        from: about,
        editName: `${label} of ${stepTitle(step)}`,
        move: (to: Point): Writes => {
          const place = Math.min(1, Math.max(0, (to[0] - about[0] - leverFrom) / leverSpan))
          return [[dialRef(step, key), fromSlider(dial, place)]]
        },
      },
    ]
  })
}

/** Handles of a step: its points; for one that places the picture also where it goes, how it is turned and how large. */
function stepHandles(step: Step, canvas: Comp['canvas'], valueOf: ValueOf): Handle[] {
  const effect = effectOf(step)
  if (!effect) return []
  const numberOf = (key: string) => {
    const value = valueOf(key)
    return typeof value === 'number' ? value : undefined
  }
  const title = stepTitle(step)
  const found: Handle[] = []
  for (const [key, dial] of Object.entries(effect.dials)) {
    if (dial.type !== 'point' || step.dials[key] === undefined) continue
    if (!counts(dial, valueOf)) continue
    found.push({
      id: `${step.id} ${key}`,
      label: dialLabel(key, dial),
      at: valueOf(key) as unknown as Point,
      editName: `${dialLabel(key, dial)} of ${title}`,
      move: (to) => [[dialRef(step, key), [to[0], to[1]]]],
    })
  }
  found.push(...directionHandles(step, effect, valueOf, canvas), ...leverHandles(step, effect, valueOf))
  const offsets = effect.offset
  const pivot = offsets && (valueOf(offsets.about) as unknown as Point | undefined)
  if (!offsets || !Array.isArray(pivot)) return found
  const [x, y] = [numberOf(offsets.x), numberOf(offsets.y)]
  const [turn, scale] = [numberOf(offsets.turn), numberOf(offsets.scale)]
  if (x === undefined || y === undefined) return found
  const middle: Point = [pivot[0] + x, pivot[1] + y]
  found.push({
    id: `${step.id} offset`,
    label: 'Move',
    at: middle,
    from: pivot,
    editName: `Move of ${title}`,
    move: (to) => [
      [dialRef(step, offsets.x), to[0] - pivot[0]],
      [dialRef(step, offsets.y), to[1] - pivot[1]],
    ],
  })
  if (turn === undefined || scale === undefined) return found
  const length = (armLength * scale) / 100
  const angle = (turn * Math.PI) / 180
  found.push({
    id: `${step.id} arm`,
    label: 'Turn, scale',
    at: [middle[0] + length * Math.cos(angle), middle[1] + length * Math.sin(angle)],
    from: middle,
    editName: `Turn and scale of ${title}`,
    move: (to) => {
      const [dx, dy] = [to[0] - middle[0], to[1] - middle[1]]
      // The turn goes on from where it is, so that more than one round can be dragged.
      const raw = (Math.atan2(dy, dx) * 180) / Math.PI
      const near = raw + 360 * Math.round((turn - raw) / 360)
      const size = Math.max(1, (Math.hypot(dx, dy) / armLength) * 100)
      return [
        [dialRef(step, offsets.turn), near],
        [dialRef(step, offsets.scale), size],
      ]
    },
  })
  return found
}

function useHandles(): Handle[] {
  const selection = useShot((s) => s.selection)
  const step = useShot((s) => (s.selection?.step ? placeOfStep(s.comp, s.selection.step)?.step : undefined))
  const lane = useShot((s) => s.comp.lanes.find((l) => l.id === s.selection?.lane))
  const canvas = useShot((s) => s.comp.canvas)
  const frame = useShot((s) => s.frame)
  const comp = useShot((s) => s.comp)
  const read = useShot((s) => s.read)
  const riding = useShot((s) => s.riding)
  if (step) {
    const now = (ref: SettingRef) => settingNow({ comp, frame, read, riding }, ref)
    if (now({ of: 'on', step: step.id }) === false) return []
    return stepHandles(step, canvas, (key) => now({ of: 'dial', step: step.id, key }))
  }
  if (!lane || selection?.step !== undefined || lane.source.type !== 'gradient') return []
  const at = (end: 'from' | 'to') =>
    readSetting(comp, { of: 'source', lane: lane.id, key: `${end}.at` }, frame, read) as unknown as Point
  return (['from', 'to'] as const).map((end) => ({
    id: `${lane.id} ${end}`,
    label: end,
    at: at(end),
    ...(end === 'to' ? { from: at('from') } : {}),
    editName: `Gradient of ${lane.name}`,
    move: (to: Point): Writes => [[{ of: 'source', lane: lane.id, key: `${end}.at` }, [to[0], to[1]]]],
  }))
}

/** The points of the selected step. */
function useMovingPoints(): readonly SettingRef[] {
  const step = useShot((s) => (s.selection?.step ? placeOfStep(s.comp, s.selection.step)?.step : undefined))
  const dials = Object.entries(effectOf(step)?.dials ?? {})
  return dials.flatMap(([key, { type }]) => (type === 'point' && step ? [dialRef(step, key)] : []))
}

/** Handles for what is selected, over the picture. Dragging one is one undo, and it never jumps to the pointer. */
export default function Handles({
  size,
  place,
}: {
  size: { readonly width: number; readonly height: number }
  place: { readonly x: number; readonly y: number; readonly zoom: number }
}) {
  const { store } = useShotContext()
  const handles = useHandles()
  const gesture = useRef<string>(undefined)
  /** How far beyond the edge of the view the dragged one lay. */
  const beyond = useRef<Point>([0, 0])
  const ways = useMovingPoints()
  if (handles.length === 0) return null
  const onScreen = ([x, y]: Point): Point => [place.x + x * place.zoom, place.y + y * place.zoom]
  const stop = (event: Konva.KonvaEventObject<PointerEvent | MouseEvent | TouchEvent>) => {
    // The picture underneath must not pan.
    event.evt.stopPropagation()
  }
  const places = handles.map(({ at }): Point => {
    const [x, y] = onScreen(at)
    return [held(x, size.width), held(y, size.height)]
  })
  const labels = placeLabels(
    places,
    handles.map(({ label }) => label),
    size,
  )
  return (
    <Stage width={size.width} height={size.height} className="absolute inset-0">
      <Layer>
        {ways.map((ref) => (
          <PathLines key={JSON.stringify(ref)} of={ref} place={place} />
        ))}
        {handles.map((handle, i) => {
          const own = onScreen(handle.at)
          // One that lies beyond the view waits at its edge, so that it can be taken hold of.
          const [x, y] = [held(own[0], size.width), held(own[1], size.height)]
          const isBeyond = x !== own[0] || y !== own[1]
          const from = handle.from && onScreen(handle.from)
          return (
            <Group key={handle.id}>
              {from && (
                <>
                  <Line
                    points={[...from, x, y]}
                    stroke="#000"
                    strokeWidth={3}
                    opacity={0.5}
                    listening={false}
                  />
                  <Line points={[...from, x, y]} stroke="#7ea2ff" strokeWidth={1.5} listening={false} />
                </>
              )}
              <Circle
                name={handle.label}
                x={x}
                y={y}
                radius={7}
                hitStrokeWidth={14}
                stroke="#fff"
                strokeWidth={2}
                fill="rgba(70, 120, 255, 0.55)"
                shadowColor="#000"
                shadowBlur={4}
                draggable
                onPointerDown={stop}
                onDragStart={() => {
                  gesture.current = newGesture()
                  beyond.current = [own[0] - x, own[1] - y]
                }}
                onDragMove={(event) => {
                  const { x: sx, y: sy } = event.target.position()
                  const round = (v: number) => Math.round(v * 10) / 10
                  const [bx, by] = beyond.current
                  const to: Point = [
                    round((sx + bx - place.x) / place.zoom),
                    round((sy + by - place.y) / place.zoom),
                  ]
                  store.getState().write(handle.editName, handle.move(to), gesture.current)
                }}
                onMouseEnter={(event) => {
                  event.target.getStage()!.container().style.cursor = 'move'
                }}
                onMouseLeave={(event) => {
                  event.target.getStage()!.container().style.cursor = ''
                }}
              />
              <Text
                {...labels[i]!}
                text={isBeyond ? `${handle.label}, outside` : handle.label}
                fontSize={11}
                fontFamily="Inter Variable"
                fill="#fff"
                shadowColor="#000"
                shadowBlur={3}
                shadowOpacity={1}
                listening={false}
              />
            </Group>
          )
        })}
      </Layer>
    </Stage>
  )
}

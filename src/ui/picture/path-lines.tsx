'use client'

import { Circle, Group, Line, Rect } from 'react-konva'
import { isTrack, type Track } from '../../core/comp/schema.ts'
import { editTrack, readSetting, settingOf, type SettingRef } from '../../core/comp/settings.ts'
import { settingName } from '../../core/comp/setting-names.ts'
import { pathLine } from '../../core/tracks/path-at.ts'
import { newGesture } from '../dials/value-field.tsx'
import { useRef } from 'react'
import { useShot, useShotContext } from '../shot/shot-context.tsx'

type Point = readonly [x: number, y: number]

/** As many points of a way as are drawn at most. */
const mostPoints = 400

/** A handle that bends a way; one drag is one undo. */
function BendHandle({
  name,
  x,
  y,
  onBend,
}: {
  name: string
  x: number
  y: number
  onBend: (x: number, y: number, gesture: string) => void
}) {
  const gesture = useRef('')
  return (
    <Circle
      name={name}
      x={x}
      y={y}
      radius={4}
      hitStrokeWidth={10}
      fill="#0b0d12"
      stroke="#a9bff7"
      strokeWidth={1.5}
      draggable
      onPointerDown={(event) => {
        event.evt.stopPropagation()
      }}
      onDragStart={() => {
        gesture.current = newGesture()
      }}
      onDragMove={(event) => {
        const to = event.target.position()
        onBend(to.x, to.y, gesture.current)
      }}
    />
  )
}

/** The way of a point that moves: over all frames, with its keys; where it goes along a path, with handles to bend it. */
export function PathLines({
  of: ref,
  place,
}: {
  of: SettingRef
  place: { x: number; y: number; zoom: number }
}) {
  const { store } = useShotContext()
  const comp = useShot((s) => s.comp)
  const read = useShot((s) => s.read)
  const setting = settingOf(comp, ref)
  if (setting === undefined || !isTrack(setting)) return null
  const track: Track = setting
  const on = ([x, y]: Point): [number, number] => [place.x + x * place.zoom, place.y + y * place.zoom]
  const { first, last } = comp.frames
  const step = Math.max(1, Math.ceil((last - first + 1) / mostPoints))
  const frames = Array.from({ length: Math.floor((last - first) / step) + 1 }, (_, i) => first + i * step)
  const hasRiders = track.riders?.some((r) => r.on) ?? false
  const points =
    track.along && !hasRiders
      ? pathLine(track)
      : frames.map((f) => readSetting(comp, ref, f, read) as unknown as Point)
  const bend = (frame: number, side: 'bendIn' | 'bendOut', to: Point, dragged: string) => {
    store.getState().edit(
      `Bend the way of ${settingName(comp, ref).name}`,
      (c) =>
        editTrack(c, ref, frame, (t) => ({
          ...t,
          keys: t.keys.map((k) => {
            if (k.frame !== frame) return k
            const other = side === 'bendIn' ? 'bendOut' : 'bendIn'
            const far = k[other] && !k.broken ? Math.hypot(...k[other]) : 0
            const length = Math.hypot(...to)
            // Joined handles turn together, each as long as it was.
            const turned =
              far > 0 && length > 0 ? { [other]: [(-to[0] / length) * far, (-to[1] / length) * far] } : {}
            return { ...k, [side]: [to[0], to[1]], ...turned }
          }),
        })),
      dragged,
    )
  }
  return (
    <Group>
      <Line
        points={points.flatMap((p) => on(p))}
        stroke="#000"
        strokeWidth={3}
        opacity={0.4}
        listening={false}
      />
      <Line
        points={points.flatMap((p) => on(p))}
        stroke="#7ea2ff"
        strokeWidth={1.2}
        dash={[5, 4]}
        listening={false}
      />
      {!hasRiders &&
        track.keys.map((key, i) => {
          const at = key.value as unknown as Point
          const [x, y] = on(at)
          const sides = [
            ...(i > 0 ? (['bendIn'] as const) : []),
            ...(i < track.keys.length - 1 ? (['bendOut'] as const) : []),
          ]
          return (
            <Group key={key.frame}>
              <Rect
                x={x - 3}
                y={y - 3}
                width={6}
                height={6}
                fill="#dfe3ea"
                stroke="#0b0d12"
                listening={false}
              />
              {track.along &&
                sides.map((side) => {
                  const neighbour = track.keys[side === 'bendIn' ? i - 1 : i + 1]!.value as unknown as Point
                  const own = key[side] ?? [(neighbour[0] - at[0]) / 4, (neighbour[1] - at[1]) / 4]
                  const [hx, hy] = on([at[0] + own[0], at[1] + own[1]])
                  return (
                    <Group key={side}>
                      <Line points={[x, y, hx, hy]} stroke="#a9bff7" strokeWidth={1} listening={false} />
                      <BendHandle
                        name={`bend ${key.frame} ${side}`}
                        x={hx}
                        y={hy}
                        onBend={(toX, toY, gesture) => {
                          bend(key.frame, side, [(toX - x) / place.zoom, (toY - y) / place.zoom], gesture)
                        }}
                      />
                    </Group>
                  )
                })}
            </Group>
          )
        })}
    </Group>
  )
}

'use client'

import { useRef, useState, type KeyboardEvent, type PointerEvent } from 'react'
import { dialLabel, type CurveDial } from '../../core/dials/dials.ts'
import { axisToLight, curveThrough, lightToAxis, type CurvePoint } from '../../core/picture/tone-curve.ts'
import { newGesture, type SetValue } from './value-field.tsx'
import { ResetButton } from './reset-button.tsx'

const [width, height, inset] = [300, 150, 7]
const mostPoints = 64
const colours: Readonly<Record<string, string>> = {
  red: '#e0606a',
  green: '#5cb878',
  blue: '#7ea2ff',
}
/** Light that has a line of its own on the axis of light. */
const lights = [0.01, 0.18, 1, 4, 16]

const hold = (v: number, [low, high]: readonly [number, number]) => Math.min(high, Math.max(low, v))
const round = (v: number) => Number(v.toFixed(4))
const ends = ({ axis }: CurveDial): readonly [number, number] => (axis === 'light' ? [0, 1.5] : [0, 1])

/**
 * Curves through points: a click on the line adds a point, drag moves it, double-click or Delete takes it away; arrow keys move the one that has the
 * focus. Several curves of one effect share one field.
 */
export function CurveEditor({
  curves,
  onChange,
}: {
  curves: readonly { name: string; dial: CurveDial; value: readonly CurvePoint[] }[]
  onChange: (name: string) => SetValue
}) {
  const [chosen, setChosen] = useState(curves[0]!.name)
  const drag = useRef<{ index: number; gesture: string }>(undefined)
  const field = useRef<SVGSVGElement>(null)
  const { name, dial, value } = curves.find((c) => c.name === chosen) ?? curves[0]!
  const range = ends(dial)
  const change = onChange(name)
  const x = (u: number) => inset + ((u - range[0]) / (range[1] - range[0])) * (width - 2 * inset)
  const y = (v: number) => height - inset - ((v - range[0]) / (range[1] - range[0])) * (height - 2 * inset)
  const points = value.toSorted((a, b) => a[0] - b[0])
  const path = (list: readonly CurvePoint[]) => {
    const through = curveThrough(list, dial.axis === 'unit')
    return Array.from({ length: 121 }, (_, i) => {
      const u = range[0] + (i / 120) * (range[1] - range[0])
      return `${i === 0 ? 'M' : 'L'}${x(u).toFixed(1)} ${y(hold(through(u), [range[0] - 1, range[1] + 1])).toFixed(1)}`
    }).join('')
  }
  const under = (event: PointerEvent): CurvePoint => {
    const box = field.current!.getBoundingClientRect()
    const part = (v: number, from: number, size: number, room: number) =>
      range[0] + (((v - from) / size) * room - inset) / ((room - 2 * inset) / (range[1] - range[0]))
    const u = part(event.clientX, box.left, box.width, width)
    const v = range[0] + range[1] - part(event.clientY, box.top, box.height, height)
    return [round(hold(u, range)), round(hold(v, range))]
  }
  /** A point somewhere else; it stays between its neighbours. */
  const moved = (index: number, [u, v]: CurvePoint): CurvePoint[] => {
    const [before, after] = [points[index - 1], points[index + 1]]
    const between: [number, number] = [
      before ? before[0] + 0.002 : range[0],
      after ? after[0] - 0.002 : range[1],
    ]
    return points.with(index, [round(hold(u, between)), round(hold(v, range))])
  }
  const remove = (index: number) => {
    if (points.length > 1)
      change(
        points.filter((_, i) => i !== index),
        newGesture(),
      )
  }
  const press = (event: PointerEvent<SVGSVGElement>) => {
    event.currentTarget.setPointerCapture(event.pointerId)
    const at = under(event)
    const reach = 0.04 * (range[1] - range[0])
    let index = points.findIndex((p) => Math.hypot(p[0] - at[0], p[1] - at[1]) < reach)
    const gesture = newGesture()
    if (index < 0 && points.length < mostPoints) {
      const next = [...points, at].sort((a, b) => a[0] - b[0])
      index = next.indexOf(at)
      change(next, gesture)
    }
    drag.current = { index, gesture }
  }
  const keys = (index: number) => (event: KeyboardEvent) => {
    const way = { ArrowRight: [1, 0], ArrowLeft: [-1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }[event.key]
    if (event.key === 'Delete' || event.key === 'Backspace') remove(index)
    else if (way) {
      const by = event.shiftKey ? 0.05 : 0.005
      const [u, v] = points[index]!
      change(moved(index, [u + way[0]! * by, v + way[1]! * by]), newGesture())
    } else return
    event.preventDefault()
    event.stopPropagation()
  }
  const lines = dial.axis === 'light' ? lights.map(lightToAxis) : [0.25, 0.5, 0.75]
  const isDefault = JSON.stringify(value) === JSON.stringify(dial.default)
  return (
    <div className="py-0.5" data-dial={name}>
      <div className="flex items-center gap-1 pb-1 text-xs">
        {curves.map((c) => (
          <button
            key={c.name}
            type="button"
            aria-pressed={c.name === name}
            className={`rounded px-1.5 py-0.5 ${c.name === name ? 'bg-primary/45' : 'text-base-content/70 hover:bg-base-200'}`}
            title={c.dial.hint}
            onClick={() => {
              setChosen(c.name)
            }}
          >
            {dialLabel(c.name, c.dial)}
            {JSON.stringify(c.value) !== JSON.stringify(c.dial.default) && curves.length > 1 && ' ·'}
          </button>
        ))}
        <span className="ml-auto">
          <ResetButton
            label={dialLabel(name, dial)}
            isDefault={isDefault}
            onReset={() => {
              change(dial.default)
            }}
          />
        </span>
      </div>
      <svg
        ref={field}
        viewBox={`0 0 ${width} ${height}`}
        className="w-full touch-none rounded bg-base-300"
        role="group"
        aria-label={`${dialLabel(name, dial)} curve`}
        onPointerDown={press}
        onPointerMove={(event) => {
          const held = drag.current
          if (held && held.index >= 0 && held.index < points.length)
            change(moved(held.index, under(event)), held.gesture)
        }}
        onPointerUp={() => {
          drag.current = undefined
        }}
      >
        {lines.map((u) => (
          <g key={u} stroke="#3a3a3a" strokeWidth={u === 1 && dial.axis === 'light' ? 1.4 : 0.7}>
            <line x1={x(u)} x2={x(u)} y1={0} y2={height} />
            <line x1={0} x2={width} y1={y(u)} y2={y(u)} />
          </g>
        ))}
        {dial.axis === 'light' &&
          lights.map((light) => (
            <text
              key={light}
              x={x(lightToAxis(light)) + (light === 16 ? -3 : 3)}
              y={height - 3}
              fontSize={9}
              fill="#9a9a9a"
              textAnchor={light === 16 ? 'end' : 'start'}
            >
              {light}
            </text>
          ))}
        <line
          x1={x(range[0])}
          y1={y(range[0])}
          x2={x(range[1])}
          y2={y(range[1])}
          stroke="#555"
          strokeDasharray="3 3"
        />
        {curves
          .filter((c) => c.name !== name)
          .map((c) => (
            <path
              key={c.name}
              d={path(c.value)}
              fill="none"
              stroke={colours[c.name] ?? '#bbb'}
              opacity={0.35}
            />
          ))}
        <path d={path(value)} fill="none" stroke={colours[name] ?? '#e8e8e8'} strokeWidth={1.6} />
        {points.map(([u, v], i) => (
          <rect
            key={i}
            tabIndex={0}
            role="slider"
            aria-label={`Point ${i + 1}`}
            aria-valuetext={
              dial.axis === 'light'
                ? `${axisToLight(u).toPrecision(3)} becomes ${axisToLight(v).toPrecision(3)}`
                : `${u} becomes ${v}`
            }
            aria-valuenow={v}
            className="cursor-grab outline-none focus:stroke-white"
            x={x(u) - 3.5}
            y={y(v) - 3.5}
            width={7}
            height={7}
            transform={`rotate(45 ${x(u)} ${y(v)})`}
            fill={colours[name] ?? '#e8e8e8'}
            stroke="#111"
            onDoubleClick={() => {
              remove(i)
            }}
            onKeyDown={keys(i)}
          />
        ))}
      </svg>
    </div>
  )
}

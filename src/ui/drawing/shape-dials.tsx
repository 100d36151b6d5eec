'use client'

import { Diamond } from 'lucide-react'
import {
  changePaths,
  convertPoint,
  editShape,
  removePoints,
  setPath,
  splitShape,
  toggleKey,
} from '../../core/comp/drawing-edits.ts'
import type { Drawing, Path, Shape } from '../../core/comp/drawing.ts'
import { isKeyed } from '../../core/comp/drawing-at.ts'
import { number, type NumberDial } from '../../core/dials/dials.ts'
import { NumberRow } from '../dials/number-row.tsx'
import { SettingRow } from '../dials/setting-row.tsx'
import { timeOf } from '../../core/comp/settings.ts'
import { settingAt } from '../../core/tracks/track-at.ts'
import { useShot, useShotContext } from '../shot/shot-context.tsx'
import type { DrawState } from '../shot/shot-store.ts'

const softness = (label: string, hint: string): NumberDial =>
  number({ default: 0, range: [0, 200], hard: [0, 4000], unit: 'px', step: 0.5, taper: 'log', label, hint })
const dials = {
  opacity: number({ default: 1, range: [0, 1], step: 0.01, hint: 'How much the shape counts.' }),
  outer: softness('Soft outside', 'How far the edge runs out beyond the line.'),
  inner: softness('Soft inside', 'How far the edge runs in from the line.'),
  soft: softness('Soft here', 'How far the edge runs out at the selected points alone.'),
} as const

const number_ = (value: unknown) => (typeof value === 'number' ? value : 0)

export function ShapeDials({
  shape,
  path,
  drawing,
  draw,
}: {
  shape: Shape
  path: Path
  drawing: Drawing
  draw: DrawState
}) {
  const { store } = useShotContext()
  const frame = useShot((s) => s.frame)
  const comp = useShot((s) => s.comp)
  const { edit } = store.getState()
  const { points } = draw
  const set = (key: 'opacity' | 'inner' | 'outer') => (value: unknown, gesture?: string) => {
    edit(
      `${dials[key].label ?? 'Opacity'} of ${shape.name}`,
      (c) =>
        editShape(c, drawing.id, frame, shape.id, (s) => {
          s[key] = value as number
        }),
      gesture && `${shape.id} ${key} ${gesture}`,
    )
  }
  const convert = (to: 'corner' | 'smooth') => {
    edit(`Convert points of ${shape.name}`, (c) =>
      setPath(
        c,
        drawing.id,
        frame,
        shape.id,
        points.reduce((p: Path, i) => convertPoint(p, i, to), path),
      ),
    )
  }
  const isKeyHere = isKeyed(shape.path) && shape.path.keys.some((k) => k.frame === frame)
  const outerNow = number_(settingAt(shape.outer, frame, timeOf(comp)))
  const soft = points.length > 0 ? path[points[0]!]?.soft : undefined
  return (
    <div className="space-y-0.5">
      <div className="flex flex-wrap items-center gap-2 text-xs">
        <span className="text-base-content/60">{path.length} points</span>
        {drawing.time === 'keyed' && (
          <button
            type="button"
            className={`btn btn-xs ${isKeyHere ? 'btn-primary' : ''}`}
            aria-pressed={isKeyHere}
            title="A key of the outline on this frame; between keys it moves"
            onClick={() => {
              edit(`${isKeyHere ? 'Remove' : 'Set'} key of ${shape.name}`, (c) =>
                toggleKey(c, drawing.id, frame, shape.id),
              )
            }}
          >
            <Diamond size={11} fill={isKeyHere ? 'currentColor' : 'none'} aria-hidden /> key on {frame}
          </button>
        )}
        <label className="flex items-center gap-1" title="Where the line goes around twice, a hole">
          <input
            type="checkbox"
            className="checkbox checkbox-xs"
            checked={shape.rule === 'evenodd'}
            onChange={(e) => {
              const rule = e.target.checked ? 'evenodd' : 'nonzero'
              edit(`Holes of ${shape.name}`, (c) =>
                editShape(c, drawing.id, frame, shape.id, (s) => {
                  s.rule = rule
                }),
              )
            }}
          />
          holes where it crosses itself
        </label>
      </div>
      {(['opacity', 'outer', 'inner'] as const).map((key) =>
        drawing.time === 'keyed' ? (
          <SettingRow
            key={key}
            of={{ of: 'shape', drawing: drawing.id, shape: shape.id, key }}
            name={key}
            edits={`${dials[key].label ?? 'Opacity'} of ${shape.name}`}
          />
        ) : (
          <NumberRow key={key} name={key} dial={dials[key]} value={number_(shape[key])} onChange={set(key)} />
        ),
      )}
      {points.length > 0 && (
        <>
          <div className="flex flex-wrap items-center gap-1 pt-1 text-xs">
            <span className="text-base-content/60">
              {points.length === 1 ? 'one point' : `${points.length} points`}:
            </span>
            <button
              type="button"
              className="btn btn-xs"
              onClick={() => {
                convert('corner')
              }}
            >
              Corner
            </button>
            <button
              type="button"
              className="btn btn-xs"
              onClick={() => {
                convert('smooth')
              }}
            >
              Smooth
            </button>
            <button
              type="button"
              className="btn btn-xs"
              title="A further point halfway to the next"
              onClick={() => {
                edit(`Add a point to ${shape.name}`, (c) =>
                  splitShape(c, drawing.id, frame, shape.id, points[0]!, 0.5),
                )
                store.getState().set({ draw: { ...draw, points: [points[0]! + 1] } })
              }}
            >
              Add after
            </button>
            <button
              type="button"
              className="btn btn-ghost btn-xs"
              onClick={() => {
                edit(`Remove points of ${shape.name}`, (c) =>
                  removePoints(c, drawing.id, frame, shape.id, points),
                )
                store.getState().set({ draw: { ...draw, points: [] } })
              }}
            >
              Remove
            </button>
          </div>
          <NumberRow
            name="soft"
            dial={{ ...dials.soft, default: outerNow }}
            value={soft ?? outerNow}
            onChange={(value, gesture) => {
              edit(
                `Softness at points of ${shape.name}`,
                (c) =>
                  changePaths(c, drawing.id, frame, shape.id, (all) =>
                    all.map((v, i) => (points.includes(i) ? { ...v, soft: value as number } : v)),
                  ),
                gesture && `${shape.id} soft ${gesture}`,
              )
            }}
          />
        </>
      )}
    </div>
  )
}

'use client'

import { ArrowDown, ArrowUp, Eye, EyeOff, Lock, LockOpen, Trash2 } from 'lucide-react'
import { editShape, editShapes } from '../../core/comp/drawing-edits.ts'
import type { Drawing, Shape } from '../../core/comp/drawing.ts'
import { outlineAt, shapeNote } from '../../core/comp/drawing-at.ts'
import { ways } from '../dials/matte-chips.tsx'
import { useShot, useShotContext } from '../shot/shot-context.tsx'
import type { DrawState } from '../shot/shot-store.ts'
import { Name } from './name.tsx'

export function ShapeRow({
  shape,
  drawing,
  draw,
  isFirst,
}: {
  shape: Shape
  drawing: Drawing
  draw: DrawState
  isFirst: boolean
}) {
  const { store } = useShotContext()
  const frame = useShot((s) => s.frame)
  const canvas = useShot((s) => s.comp.canvas)
  const { edit, set } = store.getState()
  const isSelected = draw.shape === shape.id
  const note = shapeNote(outlineAt(shape.path, frame), canvas)
  const change = (name: string, by: Parameters<typeof editShape>[4]) => {
    edit(`${name} ${shape.name}`, (c) => editShape(c, drawing.id, frame, shape.id, by))
  }
  const move = (by: 1 | -1) => {
    edit(`Restack ${shape.name}`, (c) =>
      editShapes(c, drawing.id, frame, (all) => {
        const at = all.indexOf(all.find((s) => s.id === shape.id)!)
        const to = at + by
        return to < 0 || to >= all.length ? all : all.toSpliced(at, 1).toSpliced(to, 0, all[at]!)
      }),
    )
  }
  return (
    <li
      className={`flex items-center gap-1 rounded px-1 ${isSelected ? 'bg-primary/35' : 'hover:bg-base-300'}`}
      data-shape={shape.id}
    >
      <button
        type="button"
        aria-pressed={!shape.shown}
        aria-label={`${shape.shown ? 'Hide' : 'Show'} ${shape.name}`}
        title={shape.shown ? 'It counts; click to leave it out' : 'Left out; click to count it'}
        onClick={() => {
          change(shape.shown ? 'Hide' : 'Show', (s) => {
            s.shown = !s.shown
          })
        }}
      >
        {shape.shown ? (
          <Eye size={13} aria-hidden />
        ) : (
          <EyeOff size={13} className="text-warning" aria-hidden />
        )}
      </button>
      <button
        type="button"
        aria-pressed={shape.locked}
        aria-label={`${shape.locked ? 'Unlock' : 'Lock'} ${shape.name}`}
        title={shape.locked ? 'Locked: it can not be taken hold of' : 'Lock it'}
        onClick={() => {
          change(shape.locked ? 'Unlock' : 'Lock', (s) => {
            s.locked = !s.locked
          })
        }}
      >
        {shape.locked ? (
          <Lock size={13} className="text-warning" aria-hidden />
        ) : (
          <LockOpen size={13} className="text-base-content/40" aria-hidden />
        )}
      </button>
      <select
        aria-label={`How ${shape.name} is joined`}
        title={isFirst ? 'The first shape is what others are joined to' : 'How it meets the shapes before it'}
        className="cursor-pointer rounded bg-base-300 px-0.5 text-xs"
        value={shape.by}
        onChange={(e) => {
          const by = e.target.value as Shape['by']
          change('Join', (s) => {
            s.by = by
          })
        }}
      >
        {ways.map(([by, words]) => (
          <option key={by} value={by}>
            {words}
          </option>
        ))}
      </select>
      <button
        type="button"
        className="min-w-0 flex-1 truncate py-0.5 text-left"
        aria-pressed={isSelected}
        aria-label={`Select ${shape.name}`}
        onClick={() => {
          set({ draw: { ...draw, tool: 'choose', shape: shape.id, points: [] } })
        }}
      >
        <Name
          text={shape.name}
          onName={(name) => {
            change('Rename', (s) => {
              s.name = name
            })
          }}
        />
        {note && <span className="text-warning"> · {note}</span>}
      </button>
      {([1, -1] as const).map((by) => (
        <button
          key={by}
          type="button"
          className="text-base-content/40 hover:text-base-content"
          aria-label={`${shape.name} ${by > 0 ? 'later' : 'earlier'}`}
          title={by > 0 ? 'Joined later' : 'Joined earlier'}
          onClick={() => {
            move(by)
          }}
        >
          {by > 0 ? <ArrowUp size={12} aria-hidden /> : <ArrowDown size={12} aria-hidden />}
        </button>
      ))}
      <button
        type="button"
        className="text-base-content/40 hover:text-base-content"
        aria-label={`Remove ${shape.name}`}
        onClick={() => {
          edit(`Remove ${shape.name}`, (c) =>
            editShapes(c, drawing.id, frame, (all) => all.filter((s) => s.id !== shape.id)),
          )
        }}
      >
        <Trash2 size={12} aria-hidden />
      </button>
    </li>
  )
}

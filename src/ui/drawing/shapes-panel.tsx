'use client'

import { cutName } from '../../core/comp/cut-name.ts'
import {
  ArrowDown,
  ArrowUp,
  Circle,
  Diamond,
  Eye,
  EyeOff,
  Lock,
  LockOpen,
  Move,
  Pencil,
  Spline,
  Square,
  Trash2,
} from 'lucide-react'
import { useState } from 'react'
import {
  addCel,
  changePaths,
  convertPoint,
  editDrawing,
  editShape,
  editShapes,
  removeCel,
  removePoints,
  setPath,
  setTime,
  splitShape,
  toggleKey,
} from '../../core/comp/drawing-edits.ts'
import type { Drawing, Path, Shape } from '../../core/comp/drawing.ts'
import { celAt, drawnFrames, isKeyed, pathAt, shapeNote, shapesOn } from '../../core/comp/drawing-at.ts'
import { dropDrawing } from '../../core/comp/references.ts'
import { number, type NumberDial } from '../../core/dials/dials.ts'
import { NumberRow } from '../dials/number-row.tsx'
import { ways } from '../dials/matte-chips.tsx'
import { useShot, useShotContext } from '../shot/shot-context.tsx'
import type { DrawState, DrawTool } from '../shot/shot-store.ts'
import { useDrawing } from './use-drawing.ts'

const tools: readonly (readonly [DrawTool, string, typeof Circle])[] = [
  ['choose', 'Choose and move', Move],
  ['pen', 'Outline, point by point', Spline],
  ['freehand', 'Freehand, smoothed', Pencil],
  ['ellipse', 'Ellipse', Circle],
  ['box', 'Box', Square],
]
const softness = (label: string, hint: string): NumberDial =>
  number({ default: 0, range: [0, 200], hard: [0, 4000], unit: 'px', step: 0.5, taper: 'log', label, hint })
const dials = {
  opacity: number({ default: 1, range: [0, 1], step: 0.01, hint: 'How much the shape counts.' }),
  outer: softness('Soft outside', 'How far the edge runs out beyond the line.'),
  inner: softness('Soft inside', 'How far the edge runs in from the line.'),
  soft: softness('Soft here', 'How far the edge runs out at the selected points alone.'),
} as const

/** A text that becomes a field on double-click. */
function Name({ text, onName }: { text: string; onName: (name: string) => void }) {
  const [isNaming, setIsNaming] = useState(false)
  const finish = (value: string) => {
    setIsNaming(false)
    const name = cutName(value.trim())
    if (name && name !== text) onName(name)
  }
  if (!isNaming)
    return (
      <span
        title="Double-click to rename"
        onDoubleClick={() => {
          setIsNaming(true)
        }}
      >
        {text}
      </span>
    )
  return (
    <input
      autoFocus
      aria-label="Name"
      className="input input-xs w-full"
      defaultValue={text}
      onBlur={(e) => {
        finish(e.target.value)
      }}
      onKeyDown={(e) => {
        if (e.key === 'Enter') finish(e.currentTarget.value)
        if (e.key === 'Escape') setIsNaming(false)
      }}
    />
  )
}

/** How a drawing changes in time, and the frames that it does so on. */
function TimeRows({ drawing, draw }: { drawing: Drawing; draw: DrawState }) {
  const { store } = useShotContext()
  const frame = useShot((s) => s.frame)
  const { edit, set } = store.getState()
  const frames = drawnFrames(drawing)
  const isHere = frames.includes(frame)
  const seen = drawing.time === 'frames' ? celAt(drawing, frame) : undefined
  const change = (name: string, by: Parameters<typeof editDrawing>[2]) => {
    edit(`${name} of ${drawing.name}`, (c) => editDrawing(c, drawing.id, by))
  }
  return (
    <div className="space-y-1 text-xs">
      <div className="flex flex-wrap items-center gap-1.5">
        <select
          aria-label="In time"
          className="select select-xs w-40"
          value={drawing.time}
          onChange={(e) => {
            const time = e.target.value as Drawing['time']
            edit(`Time of ${drawing.name}`, (c) => setTime(c, drawing.id, time, frame))
            set({ draw: { ...draw, shape: undefined, points: [] } })
          }}
        >
          <option value="keyed">moves between keys</option>
          <option value="frames">a drawing per frame</option>
        </select>
        {drawing.time === 'frames' && (
          <select
            aria-label="Between drawings"
            className="select select-xs w-43"
            value={drawing.between}
            onChange={(e) => {
              const between = e.target.value as 'hold' | 'empty'
              change('Between drawings', (d) => (d.time === 'frames' ? { ...d, between } : d))
            }}
          >
            <option value="hold">between: last one held</option>
            <option value="empty">between: nothing</option>
          </select>
        )}
      </div>
      {drawing.time === 'frames' && (
        <div className="flex flex-wrap items-center gap-1">
          <button
            type="button"
            className="btn btn-xs"
            disabled={isHere}
            title="An empty drawing on this frame"
            onClick={() => {
              edit(`New drawing on frame ${frame}`, (c) => addCel(c, drawing.id, frame, 'empty'))
            }}
          >
            New on {frame}
          </button>
          <button
            type="button"
            className="btn btn-xs"
            disabled={isHere || !frames.some((f) => f < frame)}
            title="A copy of the drawing before, to change on this frame"
            onClick={() => {
              edit(`Copy drawing to frame ${frame}`, (c) => addCel(c, drawing.id, frame, 'copy'))
            }}
          >
            Copy to {frame}
          </button>
          <button
            type="button"
            className="btn btn-ghost btn-xs"
            disabled={!isHere}
            onClick={() => {
              edit(`Remove drawing of frame ${frame}`, (c) => removeCel(c, drawing.id, frame))
            }}
          >
            Remove
          </button>
        </div>
      )}
      {frames.length > 0 && (
        <div className="flex max-h-14 flex-wrap items-center gap-0.5 overflow-y-auto">
          <span className="text-base-content/60">{drawing.time === 'frames' ? 'drawn on' : 'keys on'}</span>
          {frames.map((f) => (
            <button
              key={f}
              type="button"
              className={`min-w-6 rounded px-1 ${f === frame ? 'bg-primary text-primary-content' : 'bg-base-300 hover:bg-neutral'}`}
              aria-label={`Go to frame ${f}`}
              onClick={() => {
                set({ frame: f })
              }}
            >
              {f}
            </button>
          ))}
        </div>
      )}
      {drawing.time === 'frames' && !isHere && (
        <p className="text-base-content/60">
          {seen ? `Held from frame ${seen.frame}.` : `Nothing is drawn on frame ${frame}.`} Draw, and this
          frame gets a drawing of its own.
        </p>
      )}
    </div>
  )
}

function ShapeRow({
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
  const note = shapeNote(pathAt(shape.path, frame), canvas)
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

function ShapeDials({
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
              edit(`${isKeyHere ? 'Remove' : 'Set'} key of ${shape.name}`, (c) => toggleKey(c, drawing.id, frame, shape.id))
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
      {(['opacity', 'outer', 'inner'] as const).map((key) => (
        <NumberRow
          key={key}
          name={key}
          dial={dials[key]}
          value={typeof shape[key] === 'number' ? shape[key] : 1}
          onChange={set(key)}
        />
      ))}
      {points.length > 0 && (
        <>
          <div className="flex flex-wrap items-center gap-1 pt-1 text-xs">
            <span className="text-base-content/60">
              {points.length === 1 ? 'one point' : `${points.length} points`}:
            </span>
            <button type="button" className="btn btn-xs" onClick={() => { convert('corner') }}>
              Corner
            </button>
            <button type="button" className="btn btn-xs" onClick={() => { convert('smooth') }}>
              Smooth
            </button>
            <button
              type="button"
              className="btn btn-xs"
              title="A further point halfway to the next"
              onClick={() => {
                edit(`Add a point to ${shape.name}`, (c) => splitShape(c, drawing.id, frame, shape.id, points[0]!, 0.5))
                store.getState().set({ draw: { ...draw, points: [points[0]! + 1] } })
              }}
            >
              Add after
            </button>
            <button
              type="button"
              className="btn btn-ghost btn-xs"
              onClick={() => {
                edit(`Remove points of ${shape.name}`, (c) => removePoints(c, drawing.id, frame, shape.id, points))
                store.getState().set({ draw: { ...draw, points: [] } })
              }}
            >
              Remove
            </button>
          </div>
          <NumberRow
            name="soft"
            dial={{ ...dials.soft, default: shape.outer }}
            value={soft ?? shape.outer}
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
  ) // prettier-ignore
}

/** The drawing that is worked on: tools, its way in time, its shapes and what is selected of them. */
export function ShapesPanel() {
  const { store } = useShotContext()
  const drawn = useDrawing()
  const frame = useShot((s) => s.frame)
  const isSnapping = useShot((s) => s.isSnapping)
  const hasOnionSkin = useShot((s) => s.hasOnionSkin)
  const { edit, set } = store.getState()
  if (!drawn) return null
  const { draw, drawing, shape, path } = drawn
  const shapes = shapesOn(drawing, frame)
  return (
    <section aria-label="Shapes" className="space-y-1.5 rounded border border-primary/60 bg-base-200 p-2">
      <div className="flex items-center gap-2">
        <h3 className="min-w-0 flex-1 truncate font-semibold">
          <Name
            text={drawing.name}
            onName={(name) => {
              edit(`Rename ${drawing.name}`, (c) => editDrawing(c, drawing.id, (d) => ({ ...d, name })))
            }}
          />
        </h3>
        <button
          type="button"
          className="btn btn-ghost btn-square btn-xs text-base-content/60"
          aria-label="Remove the drawing"
          title="Remove the drawing, wherever it is used"
          onClick={() => {
            edit(`Remove ${drawing.name}`, (c) => dropDrawing(c, drawing.id))
            set({ draw: undefined })
          }}
        >
          <Trash2 size={13} aria-hidden />
        </button>
        <button
          type="button"
          className="btn btn-xs"
          title="Leave the shapes (Escape)"
          onClick={() => {
            set({ draw: undefined })
          }}
        >
          Done
        </button>
      </div>
      <div className="flex flex-wrap items-center gap-1">
        {tools.map(([tool, hint, Icon]) => (
          <button
            key={tool}
            type="button"
            aria-label={hint}
            title={hint}
            aria-pressed={draw.tool === tool}
            className={`btn btn-square btn-xs ${draw.tool === tool ? 'btn-primary' : 'btn-ghost'}`}
            onClick={() => {
              set({ draw: { ...draw, tool } })
            }}
          >
            <Icon size={14} aria-hidden />
          </button>
        ))}
        <span className="ml-auto flex gap-2 text-xs">
          <label className="flex items-center gap-1" title="Dragged points fall into line with others">
            <input
              type="checkbox"
              className="checkbox checkbox-xs"
              checked={isSnapping}
              onChange={(e) => {
                set({ isSnapping: e.target.checked })
              }}
            />
            snap
          </label>
          <label
            className="flex items-center gap-1"
            title="The drawings before (warm) and after (green) show through"
          >
            <input
              type="checkbox"
              className="checkbox checkbox-xs"
              checked={hasOnionSkin}
              onChange={(e) => {
                set({ hasOnionSkin: e.target.checked })
              }}
            />
            neighbours
          </label>
        </span>
      </div>
      <TimeRows drawing={drawing} draw={draw} />
      {shapes.length === 0 ? (
        <p className="text-xs text-base-content/60">
          No shape here yet: take a tool and draw on the picture.
        </p>
      ) : (
        <ul aria-label="List of shapes" className="max-h-40 overflow-y-auto text-xs">
          {shapes.toReversed().map((s, i) => (
            <ShapeRow key={s.id} shape={s} drawing={drawing} draw={draw} isFirst={i === shapes.length - 1} />
          ))}
        </ul>
      )}
      {shape && path && <ShapeDials shape={shape} path={path} drawing={drawing} draw={draw} />}
    </section>
  )
}

'use client'

import { Circle, Move, Pencil, Spline, Square, Trash2 } from 'lucide-react'
import { editDrawing } from '../../core/comp/drawing-edits.ts'
import { shapesOn } from '../../core/comp/drawing-at.ts'
import { dropDrawing } from '../../core/comp/references.ts'
import { useShot, useShotContext } from '../shot/shot-context.tsx'
import type { DrawTool } from '../shot/shot-store.ts'
import { useDrawing } from './use-drawing.ts'

import { putInMiddle } from './put-shape.ts'
import { Name } from './name.tsx'
import { SettingRow } from '../dials/setting-row.tsx'
import { ShapeDials } from './shape-dials.tsx'
import { ShapeRow } from './shape-row.tsx'
import { TimeRows } from './time-rows.tsx'
const tools: readonly (readonly [DrawTool, string, typeof Circle])[] = [
  ['choose', 'Choose and move', Move],
  ['pen', 'Outline, point by point', Spline],
  ['freehand', 'Freehand, smoothed', Pencil],
  ['ellipse', 'Ellipse; Enter twice puts one in the middle', Circle],
  ['box', 'Box; Enter twice puts one in the middle', Square],
]
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
      <div className="flex flex-wrap items-center gap-1" data-drawing-tools>
        {tools.map(([tool, hint, Icon]) => (
          <button
            key={tool}
            type="button"
            aria-label={hint}
            title={hint}
            aria-pressed={draw.tool === tool}
            className={`btn btn-square btn-xs ${draw.tool === tool ? 'btn-primary' : 'btn-ghost'}`}
            onClick={({ detail }) => {
              // By the keyboard: a tool that is held already puts its shape into the middle.
              const isAgain = detail === 0 && draw.tool === tool
              if (isAgain && (tool === 'ellipse' || tool === 'box')) putInMiddle(store, drawing.id, tool)
              else set({ draw: { ...draw, tool } })
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
      <details className="text-xs" open={drawing.placing !== undefined}>
        <summary className="cursor-pointer text-base-content/70 hover:text-base-content">
          Moved, turned and scaled as one
        </summary>
        <div className="pl-4 text-sm">
          {(['move', 'turn', 'scale', 'about'] as const).map((key) => (
            <SettingRow
              key={key}
              of={{ of: 'placing', drawing: drawing.id, key }}
              name={key}
              edits={`${{ move: 'Move', turn: 'Turn', scale: 'Scale', about: 'Pivot' }[key]} of ${drawing.name}`}
            />
          ))}
          {drawing.placing && (
            <p className="text-xs text-base-content/60">
              Its points are shown and drawn where they lie without this.
            </p>
          )}
        </div>
      </details>
      {shape && path && <ShapeDials shape={shape} path={path} drawing={drawing} draw={draw} />}
    </section>
  )
}

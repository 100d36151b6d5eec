'use client'

import { addCel, editDrawing, removeCel, setTime } from '../../core/comp/drawing-edits.ts'
import type { Drawing } from '../../core/comp/drawing.ts'
import { celAt, drawnFrames } from '../../core/comp/drawing-at.ts'
import { useShot, useShotContext } from '../shot/shot-context.tsx'
import type { DrawState } from '../shot/shot-store.ts'

/** How a drawing changes in time, and the frames that it does so on. */
export function TimeRows({ drawing, draw }: { drawing: Drawing; draw: DrawState }) {
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

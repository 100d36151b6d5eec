'use client'

import { Popover } from '@base-ui/react/popover'
import { ChevronDown } from 'lucide-react'
import { setFrames } from '../../core/comp/edits.ts'
import { furthestFrame } from '../../core/comp/frame-limits.ts'
import { framesOf } from '../../core/comp/media.ts'
import type { Comp } from '../../core/comp/schema.ts'
import { ValueField } from '../dials/value-field.tsx'
import { useShot, useShotContext } from './shot-context.tsx'
import { useShownFrame } from './use-setting.ts'

const padded = (n: number) => String(n).padStart(3, '0')
/** Frames a second of film and television (common practice). */
const rates = [23.976, 24, 25, 29.97, 30, 50, 60]

/** The frame that is shown and the last one; opened, which frames the shot has and how fast they follow each other. */
export function ShotFrames({ there }: { there: ReadonlySet<number> }) {
  const { store } = useShotContext()
  const frames = useShot((s) => s.comp.frames)
  const media = useShot((s) => s.media)
  const frame = useShownFrame()
  const { first, last, rate } = frames
  const ofMedia = framesOf(media)
  const put = (words: string, to: Partial<Comp['frames']>, gesture?: string) => {
    const { edit, set } = store.getState()
    edit(words, (comp) => setFrames(comp, to), gesture)
    const { comp, frame: at } = store.getState()
    set({ frame: Math.min(comp.frames.last, Math.max(comp.frames.first, at)) })
  }
  const field = (
    label: string,
    key: 'first' | 'last' | 'rate',
    hard: readonly [number, number],
    step: number,
    unit = '',
  ) => (
    <label className="flex items-center gap-2">
      <span className="flex-1">{label}</span>
      <span className="w-24">
        <ValueField
          label={label}
          value={frames[key]}
          unit={unit}
          hard={hard}
          step={step}
          onChange={(value, gesture) => {
            put(`${label} of the shot`, { [key]: value }, gesture)
          }}
        />
      </span>
    </label>
  )
  return (
    <Popover.Root>
      <Popover.Trigger
        className="btn btn-ghost btn-xs min-w-32 shrink-0 justify-start gap-1 whitespace-nowrap px-1 text-sm font-normal text-base-content/70"
        aria-label={`Frames of the shot: ${first} to ${last}, ${Number(rate.toFixed(3))} a second`}
        title="Which frames the shot has, and how many a second"
      >
        <span>
          frame{' '}
          <span className={there.has(frame) ? 'text-base-content' : 'text-warning'}>{padded(frame)}</span> /{' '}
          {padded(last)}
        </span>
        <ChevronDown size={11} className="text-base-content/45" aria-hidden />
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Positioner sideOffset={6} align="start" className="z-50">
          <Popover.Popup className="w-72 space-y-2 rounded-lg border border-base-content/20 bg-base-100 p-3 text-sm shadow-xl">
            <Popover.Title className="font-semibold">Frames of the shot</Popover.Title>
            {field('First frame', 'first', [-furthestFrame, furthestFrame], 1)}
            {field('Last frame', 'last', [-furthestFrame, furthestFrame], 1)}
            {field('Frames a second', 'rate', [1, 240], 0.001)}
            <div className="flex gap-1" role="radiogroup" aria-label="Usual rates">
              {rates.map((one) => (
                <button
                  key={one}
                  type="button"
                  role="radio"
                  aria-checked={rate === one}
                  className={`btn btn-xs flex-auto px-0.5 ${rate === one ? 'btn-primary' : ''}`}
                  onClick={() => {
                    put('Frames a second of the shot', { rate: one })
                  }}
                >
                  {one}
                </button>
              ))}
            </div>
            <p className="text-xs text-base-content/65">
              {last - first + 1} {last === first ? 'frame' : 'frames'},{' '}
              {Number(((last - first + 1) / rate).toFixed(2))} s. A still stands on all of them; keys stay on
              their frames.
            </p>
            {ofMedia && (ofMedia.first !== first || ofMedia.last !== last) && (
              <button
                type="button"
                className="btn btn-xs"
                onClick={() => {
                  put('Frames of the shot', ofMedia)
                }}
              >
                As the media: {ofMedia.first}–{ofMedia.last}
              </button>
            )}
          </Popover.Popup>
        </Popover.Positioner>
      </Popover.Portal>
    </Popover.Root>
  )
}

'use client'

import { useState } from 'react'
import { settingOf } from '../../core/comp/settings.ts'
import { isTrack } from '../../core/comp/schema.ts'
import { evenOut, moveKeys, reverseKeys } from '../../core/tracks/track-edits.ts'
import { setBroken, setGo } from '../../core/tracks/track-handles.ts'
import { simplified } from '../../core/tracks/track-fit.ts'
import type { Go } from '../../core/tracks/track.ts'
import { ValueField } from '../dials/value-field.tsx'
import { useShot, useShotContext } from '../shot/shot-context.tsx'
import { copyChosen, countOf, editChosen, pasteCopied, refOf, removeChosen, setTiming } from './edit-keys.ts'

const ways: readonly (readonly [Go, string, string])[] = [
  ['hold', 'Hold', 'The value stands until the next key'],
  ['straight', 'Straight', 'Evenly to the next key'],
  ['curve', 'Curve', 'A curve with handles to the next key'],
]

/** What can be done with the keys that are chosen. */
export function KeyBar() {
  const { store } = useShotContext()
  const chosen = useShot((s) => s.timing.chosen)
  const hasCopied = useShot((s) => s.timing.copied.length > 0)
  const comp = useShot((s) => s.comp)
  const [tolerance, setTolerance] = useState(0.01)
  const count = countOf(chosen)
  const [first] = chosen
  const setting = first && settingOf(comp, refOf(first[0]))
  const track = setting !== undefined && isTrack(setting) ? setting : undefined
  const one = count === 1 ? track?.keys.find((k) => k.frame === first![1][0]) : undefined
  const goes = new Set(track?.keys.filter((k) => first?.[1].includes(k.frame)).map((k) => k.go ?? 'straight'))
  const isBroken = track?.keys.some((k) => first?.[1].includes(k.frame) && k.broken) ?? false
  if (count === 0)
    return hasCopied ? (
      <button
        type="button"
        className="btn btn-ghost btn-xs"
        onClick={() => {
          pasteCopied(store)
        }}
      >
        Paste
      </button>
    ) : null
  const button = (words: string, hint: string, run: () => void, isPressed?: boolean) => (
    <button
      key={words}
      type="button"
      className={`btn btn-xs px-1.5 ${isPressed ? 'btn-primary' : 'btn-ghost'}`}
      title={hint}
      {...(isPressed !== undefined && { 'aria-pressed': isPressed })}
      onClick={run}
    >
      {words}
    </button>
  )
  return (
    <div
      className="flex min-w-0 items-center gap-0.5 overflow-hidden"
      role="toolbar"
      aria-label="Chosen keys"
    >
      <span className="whitespace-nowrap px-1 text-xs text-accent">
        {count === 1 ? '1 key' : `${count} keys`}
      </span>
      {one && (
        <span className="w-16">
          <ValueField
            label="Frame of the key"
            value={one.frame}
            unit=""
            hard={[-10_000_000, 10_000_000]}
            step={1}
            onChange={(to, gesture) => {
              editChosen(store, 'Move', (t, frames) => moveKeys(t, frames, to - one.frame), gesture)
              setTiming(store, { chosen: new Map([[first![0], [to]]]) })
            }}
          />
        </span>
      )}
      {ways.map(([go, words, hint]) =>
        button(
          words,
          hint,
          () => {
            editChosen(store, words, (t, frames) => setGo(t, frames, go))
          },
          goes.has(go),
        ),
      )}
      {goes.has('curve') &&
        button(
          'Joined',
          'Both handles of a key turn together',
          () => {
            editChosen(store, isBroken ? 'Join' : 'Break', (t, frames) => setBroken(t, frames, !isBroken))
          },
          !isBroken,
        )}
      <span className="mx-1 h-4 border-l border-base-content/20" />
      {button('Reverse', 'In the opposite order, over the same time (R)', () => {
        editChosen(store, 'Reverse', (t, frames) => reverseKeys(t, frames))
      })}
      {button('Even out', 'Each half way to the line between its neighbours', () => {
        editChosen(store, 'Even out', (t, frames) => evenOut(t, frames))
      })}
      {button('Simplify', 'Fewer keys, within the tolerance', () => {
        editChosen(store, 'Simplify', (t) => simplified(t, tolerance))
        setTiming(store, { chosen: new Map() })
      })}
      <span className="w-14" title="How far a simplified curve may be from what it was, in its unit">
        <ValueField
          label="Tolerance of Simplify"
          value={tolerance}
          unit=""
          hard={[0, 1e6]}
          step={0.01}
          onChange={setTolerance}
        />
      </span>
      {button('Copy', 'Ctrl C', () => {
        copyChosen(store)
      })}
      {hasCopied &&
        button('Paste', 'At this frame (Ctrl V)', () => {
          pasteCopied(store)
        })}
      {button('Remove', 'Delete', () => {
        removeChosen(store)
      })}
    </div>
  )
}

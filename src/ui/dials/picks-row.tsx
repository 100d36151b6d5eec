'use client'

import { Crosshair, X } from 'lucide-react'
import type { ColourPicked, PicksDial } from '../../core/dials/dials.ts'
import type { Target } from '../../core/engine/plan/plan-targets.ts'
import { movedStep } from '../../core/recipes/effect-of.ts'
import { useSpace } from '../shot/use-space.ts'
import { linearToHex } from '../../core/picture/colour.ts'
import type { Probed } from '../../core/engine/session/requests.ts'
import { useShot } from '../shot/shot-context.tsx'
import type { RowProps } from './row.tsx'
import { usePick } from './use-pick.ts'

const ways = [
  { sign: 1, name: 'Pick colours', words: 'Click on colours that are meant' },
  { sign: -1, name: 'Pick what is not', words: 'Click on colours that are not meant' },
] as const

function PickButton({
  way,
  of,
  onPick,
}: {
  way: (typeof ways)[number]
  of: Target
  onPick: (probed: Probed) => void
}) {
  const { isPicking, toggle } = usePick({ words: way.words, isKept: true, of }, onPick)
  return (
    <button
      type="button"
      className={`btn btn-xs ${isPicking ? 'btn-primary' : ''}`}
      aria-pressed={isPicking}
      onClick={toggle}
    >
      <Crosshair size={12} aria-hidden /> {way.name}
    </button>
  )
}

/** Colours that are meant and colours that are not, picked on the picture that comes to the step. */
export function PicksRow({ name, dial, value, onChange }: RowProps<PicksDial, readonly ColourPicked[]>) {
  const step = useShot((s) => movedStep(s.comp, s.selection?.step ?? '', name))
  const of = { type: 'light-input', step } as const
  const space = useSpace()
  return (
    <div className="space-y-1 py-0.5" data-dial={name} title={dial.hint}>
      <div className="flex gap-1">
        {ways.map((way) => (
          <PickButton
            key={way.sign}
            way={way}
            of={of}
            onPick={({ rgba: [r, g, b, a] }) => {
              const straight = [r, g, b].map((v) => Number((a > 0 ? v / a : v).toFixed(5)))
              onChange([...value, [...straight, way.sign]])
            }}
          />
        ))}
      </div>
      {value.length > 0 && (
        <ul aria-label="Picked colours" className="flex flex-wrap gap-1">
          {value.map(([r, g, b, sign], i) => (
            <li key={i} className="flex items-center rounded border border-base-content/25 text-xs">
              <span className="px-1">{sign > 0 ? '+' : '−'}</span>
              <span className="h-4 w-6" style={{ background: linearToHex(space, [r, g, b]) }} />
              <button
                type="button"
                aria-label={`Forget colour ${i + 1}`}
                className="px-0.5 text-base-content/60 hover:text-base-content"
                onClick={() => {
                  onChange(value.filter((_, k) => k !== i))
                }}
              >
                <X size={11} aria-hidden />
              </button>
            </li>
          ))}
        </ul>
      )}
      {value.every(([, , , sign]) => sign < 0) && (
        <p className="text-xs text-base-content/60">No colour is picked yet, so the matte is empty.</p>
      )}
    </div>
  )
}

'use client'

import { useEffect, useRef, useState } from 'react'
import { Pipette } from 'lucide-react'
import { RgbColorPicker, setNonce } from 'react-colorful'
import { dialLabel, type ColourDial } from '../../core/dials/dials.ts'
import { apply } from '../../core/colour/spaces.ts'
import { hexToLinear, linearToHex, linearToSrgb, srgbToLinear } from '../../core/picture/colour.ts'
import type { Target } from '../../core/engine/plan/plan-targets.ts'
import { screenMatrix, type Looked } from '../../core/engine/viewed.ts'
import type { Rgb } from '../../core/picture/picture.ts'
import { useShot } from '../shot/shot-context.tsx'
import { useSpace } from '../shot/use-space.ts'
import { usePick } from './use-pick.ts'
import { Row, type RowProps } from './row.tsx'
import { newGesture, ValueField } from './value-field.tsx'

// It brings a style sheet of its own, which the page's policy takes only with its nonce.
if (typeof document !== 'undefined') {
  const nonce = document.querySelector<HTMLScriptElement>('script[nonce]')?.nonce
  if (nonce) setNonce(nonce)
}

/** What a screen can not show of a colour, in words. */
function outsideWords(colour: Rgb, looked: Looked): string {
  const m = screenMatrix(looked)
  const own = m
    ? [0, 4, 8].map((row) => m[row]! * colour[0] + m[row + 1]! * colour[1] + m[row + 2]! * colour[2])
    : colour
  if (own.some((v) => v < -1e-6)) return 'outside the colours of the screen'
  const most = Math.max(...own)
  return most > 1.0005 ? `${most.toFixed(2)} times as bright as its white` : ''
}

export function ColourRow({ name, dial, value, onChange }: RowProps<ColourDial, readonly number[]>) {
  const [r = 0, g = 0, b = 0] = value
  const gesture = useRef(newGesture())
  const picker = useRef<HTMLDivElement>(null)
  const [isOpen, setIsOpen] = useState(false)
  const label = dialLabel(name, dial)
  // Colours above 1 keep their brightness while hue and saturation are picked.
  const brightest = Math.max(1, r, g, b)
  const space = useSpace()
  const [red, green, blue] = apply(space.toRec709, [r, g, b]).map((v) =>
    Math.round(255 * Math.min(1, Math.max(0, linearToSrgb(v / brightest)))),
  ) as [number, number, number]
  const hex = linearToHex(space, [r, g, b])
  const step = useShot((s) => s.selection?.step) ?? ''
  const of: Target = step === '' ? { type: 'picture' } : { type: 'light-input', step }
  const { isPicking, toggle } = usePick(
    { words: `Click on the colour for ${label.toLowerCase()}`, of },
    ({ rgba: [pr, pg, pb, a] }) => {
      // Colour without its cover; what is negative lies outside of what a dial holds.
      onChange([pr, pg, pb].map((v) => Number(Math.max(0, a > 0 ? v / a : v).toFixed(5))))
    },
  )
  const screen = useShot((s) => s.comp.screen)
  const outside = outsideWords([r, g, b], { screen, space: space.name })
  useEffect(() => {
    if (isOpen) picker.current?.scrollIntoView({ block: 'nearest' })
  }, [isOpen])
  return (
    <>
      <Row name={name} dial={dial} value={value} onChange={onChange}>
        <button
          type="button"
          aria-expanded={isOpen}
          aria-label={`${label}, choose a colour`}
          title={dial.hint}
          className="flex items-center gap-2"
          onClick={() => {
            setIsOpen(!isOpen)
          }}
        >
          <span
            className="h-5 w-10 rounded border border-base-content/25"
            style={{ background: linearToHex(space, [r / brightest, g / brightest, b / brightest]) }}
          />
          <span
            className="text-xs text-base-content/60"
            title={`${hex} on an sRGB screen${outside ? `; ${outside}` : ''}`}
          >
            {value.map((v) => v.toFixed(2)).join('  ')}
            {outside && <span className="text-warning"> !</span>}
          </span>
        </button>
      </Row>
      {isOpen && (
        <div
          ref={picker}
          className="my-1 grid grid-cols-[minmax(0,1fr)_6rem] gap-3 rounded bg-base-200 p-3"
          onPointerDownCapture={() => {
            gesture.current = newGesture()
          }}
        >
          <RgbColorPicker
            style={{ width: '100%', height: 118 }}
            color={{ r: red, g: green, b: blue }}
            onChange={(c) => {
              const onScreen = [c.r, c.g, c.b].map((v) => srgbToLinear(v / 255) * brightest) as [
                number,
                number,
                number,
              ]
              onChange(
                apply(space.fromRec709, onScreen).map((v) => Number(v.toFixed(4))),
                gesture.current,
              )
            }}
          />
          <div className="flex flex-col gap-1.5">
            <button
              type="button"
              className={`btn btn-xs ${isPicking ? 'btn-primary' : ''}`}
              aria-pressed={isPicking}
              aria-label={`Pick ${label} from the picture`}
              title="Click on the picture: its linear value there, at full size, is taken"
              onClick={toggle}
            >
              <Pipette size={12} aria-hidden /> Pick
            </button>
            <input
              aria-label={`${label} as hex`}
              className="input input-xs w-full"
              key={hex}
              defaultValue={hex}
              onBlur={(e) => {
                const linear = hexToLinear(space, e.target.value)
                if (linear && e.target.value !== hex) onChange(linear)
              }}
              onKeyDown={(e) => {
                if (e.key === 'Enter') e.currentTarget.blur()
              }}
            />
            {(['R', 'G', 'B'] as const).map((letter, i) => (
              <ValueField
                key={letter}
                label={`${label} ${letter}, linear`}
                value={value[i] ?? 0}
                unit={letter}
                hard={[0, 1e6]}
                step={0.01}
                onChange={(next, g2) => {
                  onChange(
                    value.map((v, c) => (c === i ? next : v)),
                    g2,
                  )
                }}
              />
            ))}
          </div>
        </div>
      )}
    </>
  )
}

'use client'

import type { MediaTable } from '../../core/comp/media.ts'
import type { Comp, Screen, Viewing as Way } from '../../core/comp/schema.ts'
import { useShot, useShotContext } from '../shot/shot-context.tsx'

const plain = 'plain'
const shoulder = 'shoulder'
/** Whites to choose from: light that the shoulder lets just reach the display's white. */
const whites = [2, 4, 8, 16, 64]

/** Screens to look at it on, and to make review pictures and movies for. */
const screens: readonly {
  readonly screen: Screen | undefined
  readonly name: string
  readonly short: string
}[] = [
  { screen: undefined, name: 'sRGB', short: 'sRGB' },
  { screen: 'p3', name: 'P3, sRGB curve', short: 'P3' },
  { screen: 'gamma-2.4', name: 'Rec.709, gamma 2.4', short: '2.4' },
]
const screenKey = 'screen '

/** Every colour table of the shot, by how the choice names it. */
function tablesOf(media: MediaTable): { name: string; way: Way }[] {
  return Object.entries(media).flatMap(([ref, one]) =>
    one.passes
      .filter((p) => p.kind === 'table')
      .flatMap((p) =>
        (['srgb', 'linear'] as const).map((takes) => ({
          name: `${one.name}${takes === 'linear' ? ', from linear light' : ''}`,
          way: { type: 'table' as const, table: { type: 'pass' as const, media: ref, pass: p.name }, takes },
        })),
      ),
  )
}

/** How the picture is looked at: it does not change, and goes with the shot. */
export function Viewing() {
  const { store } = useShotContext()
  const viewing = useShot((s) => s.comp.viewing)
  const media = useShot((s) => s.media)
  const isDithered = useShot((s) => s.comp.dither !== false)
  const screen = useShot((s) => s.comp.screen)
  const tables = tablesOf(media)
  const own = screens.find((s) => s.screen === screen)!
  const suffix = screen ? `, ${own.short}` : ''
  const choose = (name: string, way: Way | undefined) => {
    store.getState().edit(`View by ${name}`, (comp): Comp => {
      const next = { ...comp }
      delete next.viewing
      return way ? { ...next, viewing: way } : next
    })
  }
  const value = !viewing ? plain : viewing.type === 'shoulder' ? shoulder : JSON.stringify(viewing)
  const isKnown = value === plain || value === shoulder || tables.some((t) => JSON.stringify(t.way) === value)
  return (
    <span className="flex items-center gap-1">
      <select
        aria-label="Viewing"
        title="How light is shown on this display. The picture itself does not change. Soft shoulder: Reinhard et al. 2002, equation 4."
        className={`max-w-24 truncate rounded bg-base-100 px-1 py-0.5 ${viewing || screen ? 'text-accent' : ''}`}
        value={value}
        onChange={(e) => {
          const chosen = e.target.value
          if (chosen.startsWith(screenKey)) {
            const one = screens[Number(chosen.slice(screenKey.length))]!
            store.getState().edit(`Look at it on a screen of ${one.name}`, (comp): Comp => {
              const next = { ...comp }
              delete next.screen
              return one.screen ? { ...next, screen: one.screen } : next
            })
          } else if (chosen === plain) choose('plain light', undefined)
          else if (chosen === shoulder) choose('a soft shoulder', { type: 'shoulder', white: 4 })
          else {
            const table = tables.find((t) => JSON.stringify(t.way) === chosen)
            if (table) choose(table.name, table.way)
          }
        }}
      >
        <optgroup label="Light is shown">
          <option value={plain}>{screen ? `Plain ${own.short}` : 'Plain sRGB'}</option>
          <option value={shoulder}>Soft shoulder{suffix}</option>
          {!isKnown && <option value={value}>missing table</option>}
          {tables.map(({ name, way }) => (
            <option key={JSON.stringify(way)} value={JSON.stringify(way)}>
              {name}
              {suffix}
            </option>
          ))}
        </optgroup>
        <optgroup label="On a screen of">
          {screens.map((one, i) => (
            <option key={one.short} value={screenKey + String(i)}>
              {one.name}
              {one === own ? ' ✓' : ''}
            </option>
          ))}
        </optgroup>
      </select>
      <button
        type="button"
        className={`rounded px-1 py-0.5 ${isDithered ? '' : 'bg-base-100 text-accent'}`}
        aria-pressed={isDithered}
        title={
          isDithered
            ? 'No bands: 8-bit codes, here and in PNG 8 files, are rounded up and down by noise. Click to round to the nearest code.'
            : '8-bit codes are rounded to the nearest: smooth ramps may show bands. Click to hide them by noise.'
        }
        onClick={() => {
          store.getState().edit(isDithered ? 'Round to the nearest code' : 'Hide bands', (comp): Comp => {
            const next = { ...comp }
            delete next.dither
            return isDithered ? { ...next, dither: false } : next
          })
        }}
      >
        {isDithered ? 'No bands' : 'Bands'}
      </button>
      {viewing?.type === 'shoulder' && (
        <select
          aria-label="White of the shoulder"
          title="Light that just reaches the white of the display"
          className="rounded bg-base-100 px-1 py-0.5"
          value={viewing.white}
          onChange={(e) => {
            choose('a soft shoulder', { type: 'shoulder', white: Number(e.target.value) })
          }}
        >
          {[...new Set([...whites, viewing.white])]
            .sort((a, b) => a - b)
            .map((white) => (
              <option key={white} value={white}>
                to {white}
              </option>
            ))}
        </select>
      )}
    </span>
  )
}

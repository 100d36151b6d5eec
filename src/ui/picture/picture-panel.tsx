'use client'

import { Sun } from 'lucide-react'
import { useCallback, useRef, useState } from 'react'
import { displayChannels } from '../../core/kernels/kernels.ts'
import { useShortcut } from '../shortcuts/use-shortcut.ts'
import { useShot, useShotContext } from '../shot/shot-context.tsx'
import type { ShotStore, ViewMode } from '../shot/shot-store.ts'
import { lightStep } from '../shot/view-target.ts'
import { CompareBar } from './compare-bar.tsx'
import { PictureView, type PictureViewHandle } from './picture-view.tsx'
import { Scopes } from './scopes.tsx'
import { Viewing } from './viewing.tsx'
import { ProbeLine } from './probe-line.tsx'

const modes: readonly [ViewMode, string, string][] = [
  ['picture', 'Picture', 'The finished picture'],
  ['light', 'Light alone', 'Only the light of the selected step (L)'],
  ['before', 'Before', 'Without the selected step; hold \\ for a moment'],
]
const channelNames = { colour: 'RGB', red: 'R', green: 'G', blue: 'B', alpha: 'α', luminance: 'Y' } as const

function Choices<T extends string>({
  label,
  options,
  value,
  onChoose,
}: {
  label: string
  options: readonly (readonly [T, string, string?])[]
  value: T
  onChoose: (value: T) => void
}) {
  return (
    <div
      role="group"
      aria-label={label}
      className="flex overflow-hidden rounded border border-base-content/15"
    >
      {options.map(([option, text, title]) => (
        <button
          key={option}
          type="button"
          title={title}
          aria-pressed={option === value}
          className={`px-2.5 py-0.5 ${option === value ? 'bg-primary/45 text-base-content' : 'text-base-content/70 hover:bg-base-100'}`}
          onClick={() => {
            onChoose(option)
          }}
        >
          {text}
        </button>
      ))}
    </div>
  )
}

function toggleCompare(store: ShotStore): void {
  const { compare, set } = store.getState()
  set({ compare: compare ? undefined : { left: 'picture', right: 'before', at: 0.5 } })
}

function toggleScopes(store: ShotStore): void {
  const { scopes, set } = store.getState()
  set({
    scopes: scopes ? undefined : { kinds: ['waveform', 'vectorscope'], of: 'picture', isMarking: false },
  })
}

const matteViews = [undefined, 'overlay', 'grey', 'cut-out'] as const

/** Each press shows the matte in the next way, and then no more. */
function nextMatteView(store: ShotStore): void {
  const { matteView, set } = store.getState()
  set({ matteView: matteViews[(matteViews.indexOf(matteView) + 1) % matteViews.length] })
}

/** The picture with its ways of looking above and the probe below. */
export function PicturePanel() {
  const { store } = useShotContext()
  const view = useRef<PictureViewHandle>(null)
  const [zoom, setZoom] = useState(1)
  const changeZoom = useCallback(
    (next: number) => {
      setZoom(next)
      store.getState().set({ zoom: next })
    },
    [store],
  )
  const [point, setPoint] = useState<readonly [number, number]>()
  const { set } = store.getState()
  const viewMode = useShot((s) => s.viewMode)
  const channel = useShot((s) => s.channel)
  const exposure = useShot((s) => s.exposure)
  const isCheckered = useShot((s) => s.isCheckered)
  const shownPass = useShot((s) => s.shownPass)
  const hasLight = useShot((s) => lightStep(s.comp, s.selection) !== undefined)
  const compare = useShot((s) => s.compare)
  const matteView = useShot((s) => s.matteView)
  const hasWarnings = useShot((s) => s.hasWarnings)
  const warnings = useShot((s) => s.warnings)
  const hasScopes = useShot((s) => s.scopes !== undefined)
  const toggles = [
    {
      name: 'Wipe',
      hint: 'Two sides with a line between them (W)',
      isOn: compare !== undefined,
      toggle: () => {
        toggleCompare(store)
      },
    },
    {
      name: matteView ? `Matte: ${matteView}` : 'Matte',
      hint: 'The matte of the selected step or lane: laid over the picture, as grey, cut out, or not (M)',
      isOn: matteView !== undefined,
      toggle: () => {
        nextMatteView(store)
      },
    },
    {
      name: 'Warnings',
      hint: 'Marks light above white (stripes), colours that this screen can not show (blue: negative in its primaries) and alpha outside 0–1 (red)',
      isOn: hasWarnings,
      toggle: () => {
        set({ hasWarnings: !hasWarnings })
      },
    },
    {
      name: 'Scopes',
      hint: 'Histogram, waveform, parade, vectorscope (S)',
      isOn: hasScopes,
      toggle: () => {
        toggleScopes(store)
      },
    },
  ]
  const onPoint = useCallback((next: readonly [number, number] | undefined) => {
    setPoint(next)
  }, [])

  useShortcut('fit', () => view.current?.fit())
  useShortcut('fullSize', () => view.current?.fullSize())
  useShortcut('wipe', () => {
    toggleCompare(store)
  })
  useShortcut('scopes', () => {
    toggleScopes(store)
  })
  useShortcut('matte', () => {
    nextMatteView(store)
  })

  return (
    <section aria-label="Picture" className="flex h-full flex-col bg-base-300">
      <div className="flex min-h-9 shrink-0 flex-wrap items-center gap-x-2 gap-y-1 whitespace-nowrap px-2 py-1 text-xs">
        <Choices
          label="View"
          options={modes}
          value={viewMode}
          onChoose={(mode) => {
            set({ viewMode: mode })
          }}
        />
        <Choices
          label="Channel"
          options={displayChannels.map((c) => [c, channelNames[c]] as const)}
          value={channel}
          onChoose={(next) => {
            set({ channel: next })
          }}
        />
        <label
          className="flex cursor-pointer items-center gap-1.5 text-base-content/70"
          title="Shows a checker where the picture is see-through"
        >
          <input
            type="checkbox"
            className="checkbox checkbox-xs"
            checked={isCheckered}
            onChange={(e) => {
              set({ isCheckered: e.target.checked })
            }}
          />
          Checker
        </label>
        {toggles.map(({ name, hint, isOn, toggle }) => (
          <button
            key={name}
            type="button"
            aria-pressed={isOn}
            title={hint}
            className={`rounded px-1.5 py-0.5 ${isOn ? 'bg-primary/45 text-base-content' : 'text-base-content/70 hover:bg-base-100'}`}
            onClick={toggle}
          >
            {name}
          </button>
        ))}
        <span className="ml-auto" />
        <Viewing />
        <label
          className="flex items-center gap-1.5 text-base-content/70"
          title="Brightness of the view in stops; the picture does not change. Double-click resets."
        >
          <Sun size={13} aria-label="View exposure" />
          <input
            type="range"
            aria-label="View exposure"
            className="light-slider max-w-10"
            min={-6}
            max={6}
            step={0.1}
            value={exposure}
            style={{ '--filled': `${((exposure + 6) / 12) * 100}%` } as React.CSSProperties}
            onChange={(e) => {
              set({ exposure: Number(e.target.value) })
            }}
            onDoubleClick={() => {
              set({ exposure: 0 })
            }}
          />
          <span className={`w-9 text-right ${exposure === 0 ? '' : 'text-accent'}`}>
            {exposure > 0 ? '+' : ''}
            {exposure.toFixed(1)}
          </span>
        </label>
        <button
          type="button"
          className="btn btn-ghost btn-xs"
          title="Fit the picture (F); 1 shows it at full size"
          onClick={() => view.current?.fit()}
        >
          {Math.round(zoom * 100)} %
        </button>
      </div>
      <div className="flex min-h-0 flex-1">
        <Scopes />
        <div className="relative min-w-0 flex-1">
          <CompareBar />
          <PictureView ref={view} onZoom={changeZoom} onPoint={onPoint} />
          {warnings && warnings.bright + warnings.negative + warnings.alpha > 0 && (
            <span
              className="pointer-events-none absolute bottom-1 left-2 rounded bg-base-300/90 px-1.5 py-0.5 text-xs text-warning"
              role="status"
            >
              {[
                [warnings.bright, 'above white'],
                [warnings.negative, 'outside the screen’s colours'],
                [warnings.alpha, 'α outside 0–1'],
              ]
                .filter(([count]) => Number(count) > 0)
                .map(([count, what]) => `${count} px ${what}`)
                .join(', ')}
            </span>
          )}
          {viewMode === 'light' && !hasLight && !shownPass && (
            <p className="absolute inset-x-0 top-3 text-center text-base-content/80">
              No step of this comp gives light yet.
            </p>
          )}
        </div>
      </div>
      <ProbeLine point={point} />
    </section>
  )
}

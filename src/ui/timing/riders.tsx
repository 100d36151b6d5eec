'use client'

import { Menu } from '@base-ui/react/menu'
import { Popover } from '@base-ui/react/popover'
import { ArrowDown, ArrowUp, Plus, Trash2 } from 'lucide-react'
import { findStep, type Comp } from '../../core/comp/schema.ts'
import { editTrack, settingOf, timeOf, type SettingRef } from '../../core/comp/settings.ts'
import { effectOf } from '../../core/recipes/effect-of.ts'
import { baked } from '../../core/tracks/track-fit.ts'
import { beyondWords, type Beyond, type Rider, type Track } from '../../core/tracks/track.ts'
import { without } from '../../core/without.ts'
import { useShot, useShotContext } from '../shot/shot-context.tsx'
import { setTiming } from './edit-keys.ts'
import { shapesEver } from '../../core/comp/drawing-at.ts'
import { beginnings } from './rider-beginnings.ts'
import { RiderDials } from './rider-dials.tsx'

const short = (v: number) => String(Number(v.toFixed(2)))

/** What is followed, in a word or two. */
function followed(comp: Comp, rider: Extract<Rider, { type: 'follow' }>): string {
  const lane = (id: string) => comp.lanes.find((l) => l.id === id)?.name ?? 'a lost lane'
  if (rider.of.type === 'placement') return `place of ${lane(rider.of.lane)}`
  if (rider.of.type === 'point') {
    const { step } = rider.of
    return effectOf(findStep(comp, step))?.title ?? 'a lost point'
  }
  const { from, objects } = rider.of.matte
  if (objects && objects.length > 0) return objects.length === 1 ? 'an object' : `${objects.length} objects`
  if (from.type === 'tap') return lane(from.lane)
  if (from.type === 'drawing') {
    const drawing = comp.drawings.find((d) => d.id === from.drawing)
    if (!drawing) return 'a lost drawing'
    return from.shape === undefined
      ? drawing.name
      : (shapesEver(drawing).find((s) => s.id === from.shape)?.name ?? 'a lost shape')
  }
  return from.type === 'input' ? `its ${from.input}` : from.pass
}

function riderWords(comp: Comp, rider: Rider): string {
  switch (rider.type) {
    case 'flicker':
      return `flicker ${short(rider.amount)}, ${short(rider.rate)} Hz`
    case 'step':
      return `held on ${short(rider.frames)}`
    case 'shift':
      return `shifted ${rider.frames >= 0 ? '+' : ''}${short(rider.frames)} × ${short(rider.times)}`
    case 'follow':
      return `follows ${followed(comp, rider)}`
    case 'measure':
      return `measures ${rider.of.type === 'tap' ? (comp.lanes.find((l) => l.id === (rider.of as { lane: string }).lane)?.name ?? 'a lost lane') : rider.of.type === 'input' ? `its ${rider.of.input}` : rider.of.pass}`
  }
}

/** What rides on a track, as chips; a menu for more, and for what lies beyond its keys. */
export function RiderChips({
  of: ref,
  refKey,
  name,
  track,
  type,
  isOpen,
}: {
  of: SettingRef
  refKey: string
  name: string
  track: Track | undefined
  type: string
  isOpen: boolean
}) {
  const { store } = useShotContext()
  const { edit } = store.getState()
  const riders = track?.riders ?? []
  /** In words, by lines: so that it is drawn anew only when one of them changes. */
  const words = useShot((s) => riders.map((r) => riderWords(s.comp, r)).join('\n')).split('\n')
  const put = (what: string, change: (track: Track) => Track, gesture?: string) => {
    edit(`${what}: ${name}`, (c) => editTrack(c, ref, store.getState().frame, change), gesture)
    setTiming(store, { open: refKey })
  }
  const putRiders = (what: string, next: readonly Rider[], gesture?: string) => {
    put(what, (t) => (next.length > 0 ? { ...t, riders: [...next] } : without(t, 'riders')), gesture)
  }
  const value = track?.keys[0]?.value ?? settingOf(store.getState().comp, ref)
  const bake = () => {
    const { read, comp } = store.getState()
    const { first, last } = comp.frames
    put('Turn into keys', (t) =>
      baked(t, first, last, timeOf(comp, read), 0.002 * Math.max(1e-3, Math.abs(Number(value) || 1))),
    )
  }
  // A strip that is not worked on is light: hundreds of them are scrolled through.
  if (!isOpen)
    return (
      <button
        type="button"
        tabIndex={-1}
        className="flex max-w-full items-center gap-1 overflow-hidden"
        aria-label={`What rides on ${name}`}
        title="Click to work on it: flicker, hold, shift, follow, measure, and what lies beyond its keys"
        onClick={() => {
          setTiming(store, { open: refKey })
        }}
      >
        {riders.map((rider, i) => (
          <span
            key={i}
            className={`max-w-40 truncate rounded-full border px-2 text-[11px] leading-5 ${rider.on ? 'border-primary bg-primary/30' : 'border-base-content/25 text-base-content/50 line-through'}`}
          >
            {words[i]}
          </span>
        ))}
        <span className="rounded-full border border-base-content/20 px-1.5 text-[11px] leading-5 text-base-content/60">
          +
        </span>
      </button>
    )
  return (
    <div className="flex flex-wrap items-center gap-1">
      {riders.map((rider, i) => (
        <Popover.Root key={i}>
          <Popover.Trigger
            tabIndex={-1}
            className={`max-w-40 truncate rounded-full border px-2 text-[11px] leading-5 ${rider.on ? 'border-primary bg-primary/30' : 'border-base-content/25 text-base-content/50 line-through'}`}
            title={`${words[i]!}; click to change it`}
          >
            {words[i]!}
          </Popover.Trigger>
          <Popover.Portal>
            <Popover.Positioner sideOffset={6} align="end" className="z-40">
              <Popover.Popup className="w-84 rounded-lg border border-base-content/20 bg-base-100 p-3 text-sm shadow-xl">
                <div className="mb-2 flex items-center gap-1">
                  <Popover.Title className="min-w-0 flex-1 truncate font-semibold">{words[i]!}</Popover.Title>
                  <input
                    type="checkbox"
                    aria-label="On"
                    className="toggle toggle-xs toggle-primary"
                    checked={rider.on}
                    onChange={(e) => {
                      putRiders('Switch a rider', riders.with(i, { ...rider, on: e.target.checked }))
                    }}
                  />
                  {(
                    [
                      [-1, ArrowUp, 'Earlier'],
                      [1, ArrowDown, 'Later'],
                    ] as const
                  ).map(([by, Icon, words]) => (
                    <button
                      key={words}
                      type="button"
                      className="btn btn-ghost btn-xs btn-square"
                      aria-label={words}
                      title={`${words} in the order that they are laid over`}
                      disabled={i + by < 0 || i + by >= riders.length}
                      onClick={() => {
                        putRiders('Order of riders', riders.with(i, riders[i + by]!).with(i + by, rider))
                      }}
                    >
                      <Icon size={12} aria-hidden />
                    </button>
                  ))}
                  <button
                    type="button"
                    className="btn btn-ghost btn-xs btn-square"
                    aria-label="Remove it"
                    onClick={() => {
                      putRiders('Remove a rider', riders.toSpliced(i, 1))
                    }}
                  >
                    <Trash2 size={12} aria-hidden />
                  </button>
                </div>
                <RiderDials
                  rider={rider}
                  of={ref}
                  onChange={(next, gesture) => {
                    putRiders('Change a rider', riders.with(i, next), gesture && `${refKey} ${gesture}`)
                  }}
                />
                {(rider.type === 'measure' || rider.type === 'flicker' || rider.type === 'follow') && (
                  <button
                    type="button"
                    className="btn btn-xs mt-2"
                    onClick={bake}
                    title="All that rides on it becomes keys"
                  >
                    Turn into keys
                  </button>
                )}
              </Popover.Popup>
            </Popover.Positioner>
          </Popover.Portal>
        </Popover.Root>
      ))}
      <Menu.Root>
        <Menu.Trigger
          tabIndex={-1}
          className="flex shrink-0 items-center gap-0.5 rounded-full border border-base-content/20 px-1.5 text-[11px] leading-5 text-base-content/60 hover:border-accent hover:text-base-content"
          aria-label={`What rides on ${name}`}
          title="Flicker, hold, shift, follow, measure; and what lies beyond the keys"
        >
          <Plus size={11} aria-hidden />
          {riders.length === 0 && 'flicker, follow …'}
        </Menu.Trigger>
        <Menu.Portal>
          <Menu.Positioner sideOffset={6} align="end" className="z-40">
            <Menu.Popup className="w-72 rounded-lg border border-base-content/20 bg-base-100 p-1 text-sm shadow-xl">
              <RiderMenu
                of={ref}
                name={name}
                track={track}
                type={type}
                value={value}
                put={put}
                putRiders={putRiders}
              />
            </Menu.Popup>
          </Menu.Positioner>
        </Menu.Portal>
      </Menu.Root>
    </div>
  )
}

type Put = (what: string, change: (track: Track) => Track, gesture?: string) => void

/** What may be laid over a track, and what lies beyond its keys. */
function RiderMenu({
  of: ref,
  name,
  track,
  type,
  value,
  put,
  putRiders,
}: {
  of: SettingRef
  name: string
  track: Track | undefined
  type: string
  value: unknown
  put: Put
  putRiders: (what: string, next: readonly Rider[], gesture?: string) => void
}) {
  const comp = useShot((s) => s.comp)
  const riders = track?.riders ?? []
  const beyond = (key: 'before' | 'after', words: string) => (
    <label className="flex items-center gap-2 px-2 py-1 text-xs">
      <span className="w-24 text-base-content/70">{words}</span>
      <select
        className="select select-xs flex-1"
        aria-label={`${words}: ${name}`}
        value={track?.[key] ?? 'hold'}
        onChange={(e) => {
          put(words, (t) => ({ ...t, [key]: e.target.value as Beyond }))
        }}
      >
        {Object.entries(beyondWords).map(([how, said]) => (
          <option key={how} value={how}>
            {said}
          </option>
        ))}
      </select>
    </label>
  )
  return (
    <>
      {beginnings(comp, ref, type, value).map(([words, hint, rider]) => (
        <Menu.Item
          key={words}
          className="cursor-pointer rounded px-2 py-1 data-highlighted:bg-primary"
          onClick={() => {
            putRiders(words, [...riders, rider])
          }}
        >
          <span className="block font-medium">{words}</span>
          <span className="block text-xs text-base-content/65">{hint}</span>
        </Menu.Item>
      ))}
      {track && (
        <>
          <div className="my-1 border-t border-base-content/15" />
          {beyond('before', 'Before its keys')}
          {beyond('after', 'After its keys')}
          {type === 'colour' && (
            <label className="flex items-center gap-2 px-2 py-1 text-xs">
              <input
                type="checkbox"
                className="checkbox checkbox-xs"
                checked={track.mix === 'oklab'}
                onChange={(e) => {
                  put('Way of a colour', (t) =>
                    e.target.checked ? { ...t, mix: 'oklab' as const } : without(t, 'mix'),
                  )
                }}
              />
              Over even steps to the eye (OKLab)
            </label>
          )}
          {type === 'point' && (
            <label className="flex items-center gap-2 px-2 py-1 text-xs">
              <span className="w-24 text-base-content/70">Way of the point</span>
              <select
                className="select select-xs flex-1"
                aria-label={`Way of the point: ${name}`}
                value={track.along ?? ''}
                onChange={(e) => {
                  const along = e.target.value as 'keys' | 'even' | ''
                  put('Way of a point', (t) => (along ? { ...t, along } : without(t, 'along')))
                }}
              >
                <option value="">x and y by themselves</option>
                <option value="keys">Along a path, by its keys</option>
                <option value="even">Along a path, at even speed</option>
              </select>
            </label>
          )}
        </>
      )}
    </>
  )
}

'use client'

import type { ReactNode } from 'react'
import type { SettingRef } from '../../core/comp/settings.ts'
import { shapesEver } from '../../core/comp/drawing-at.ts'
import { settingName } from '../../core/comp/setting-names.ts'
import type { FeedLink, Link } from '../../core/comp/schema.ts'
import type { Measure, Rider } from '../../core/tracks/track.ts'
import { LinkChip } from '../dials/link-chip.tsx'
import { newGesture, ValueField } from '../dials/value-field.tsx'
import { without } from '../../core/without.ts'
import { useShot, useShotContext } from '../shot/shot-context.tsx'
import { otherPoints } from './other-points.ts'

type DrawingLink = Extract<Link, { type: 'drawing' }>
type Change<R> = (next: R, gesture?: string) => void

function Line({ words, hint, children }: { words: string; hint?: string; children: ReactNode }) {
  return (
    <label className="grid grid-cols-[7rem_minmax(0,1fr)] items-center gap-2 py-0.5 text-xs" title={hint}>
      <span className="text-base-content/75">{words}</span>
      {children}
    </label>
  )
}

function NumberLine({
  words,
  hint,
  value,
  hard,
  step,
  unit = '',
  onChange,
}: {
  words: string
  hint?: string
  value: number
  hard: readonly [number, number]
  step: number
  unit?: string
  onChange: (value: number, gesture: string) => void
}) {
  return (
    <Line words={words} {...(hint && { hint })}>
      <ValueField label={words} value={value} unit={unit} hard={hard} step={step} onChange={onChange} />
    </Line>
  )
}

/** A feed without what moves: riders take mattes as they stand. */
function plain({ from, use, objects, invert, spread, soft }: FeedLink) {
  return {
    from,
    ...(use && { use }),
    ...(objects && { objects }),
    ...(typeof invert === 'boolean' && { invert }),
    ...(typeof spread === 'number' && { spread }),
    ...(typeof soft === 'number' && { soft }),
  }
}

const wide = [-1e6, 1e6] as const

function FollowDials({
  rider,
  of: ref,
  onChange,
}: {
  rider: Extract<Rider, { type: 'follow' }>
  of: SettingRef
  onChange: Change<Rider>
}) {
  const comp = useShot((s) => s.comp)
  const { laneId } = settingName(comp, ref)
  const points = otherPoints(comp, ref)
  const { of } = rider
  const first = comp.lanes.find((l) => l.id !== laneId) ?? comp.lanes[0]
  return (
    <>
      <Line words="It follows">
        <select
          className="select select-xs"
          aria-label="What is followed"
          value={of.type}
          onChange={(e) => {
            const type = e.target.value
            const [drawing] = comp.drawings
            if (type === 'matte' && (first?.id !== laneId || drawing))
              onChange({
                ...rider,
                of: {
                  type,
                  matte: {
                    from:
                      first && first.id !== laneId
                        ? { type: 'tap', lane: first.id }
                        : { type: 'drawing', drawing: drawing!.id },
                  },
                },
              })
            if (type === 'placement' && first) onChange({ ...rider, of: { type, lane: first.id } })
            if (type === 'point' && points[0])
              onChange({ ...rider, of: { type, step: points[0].step, key: points[0].key } })
          }}
        >
          <option value="matte">the centre of an object, lane or drawing</option>
          <option value="placement">where a lane is placed</option>
          {points.length > 0 && <option value="point">another point</option>}
        </select>
      </Line>
      {of.type === 'matte' && (
        <div className="py-1">
          <LinkChip
            label="of"
            hint="Its centre is followed. Choose an ID pass to pick objects."
            link={of.matte}
            without="nothing"
            laneId={laneId}
            kind="matte"
            onChange={(link) => {
              if (link) onChange({ ...rider, of: { type: 'matte', matte: plain(link) } })
            }}
          />
          {of.matte.from.type === 'drawing' && (
            <ShapeLine
              link={of.matte.from}
              onChange={(from) => {
                onChange({ ...rider, of: { type: 'matte', matte: { ...of.matte, from } } })
              }}
            />
          )}
        </div>
      )}
      {of.type === 'placement' && (
        <Line words="Lane">
          <select
            className="select select-xs"
            aria-label="Lane that is followed"
            value={of.lane}
            onChange={(e) => {
              onChange({ ...rider, of: { type: 'placement', lane: e.target.value } })
            }}
          >
            {comp.lanes.map((l) => (
              <option key={l.id} value={l.id}>
                {l.name}
              </option>
            ))}
          </select>
        </Line>
      )}
      {of.type === 'point' && (
        <Line words="Point">
          <select
            className="select select-xs"
            aria-label="Point that is followed"
            value={`${of.step} ${of.key}`}
            onChange={(e) => {
              const [step, key] = e.target.value.split(' ') as [string, string]
              onChange({ ...rider, of: { type: 'point', step, key } })
            }}
          >
            {points.map(({ step, key, words }) => (
              <option key={`${step} ${key}`} value={`${step} ${key}`}>
                {words}
              </option>
            ))}
          </select>
        </Line>
      )}
      {(['x', 'y'] as const).map((axis, i) => (
        <NumberLine
          key={axis}
          words={`Offset ${axis}`}
          hint="Drag the point on the picture to set it"
          value={rider.offset[i]!}
          hard={wide}
          step={1}
          unit="px"
          onChange={(v, gesture) => {
            onChange({ ...rider, offset: rider.offset.with(i, v) as [number, number] }, gesture)
          }}
        />
      ))}
    </>
  )
}

/** Which shape of a drawing is followed. */
function ShapeLine({ link, onChange }: { link: DrawingLink; onChange: (link: DrawingLink) => void }) {
  const drawing = useShot((s) => s.comp.drawings.find((d) => d.id === link.drawing))
  if (!drawing) return null
  return (
    <Line words="Shape">
      <select
        className="select select-xs"
        aria-label="Shape that is followed"
        value={link.shape ?? ''}
        onChange={(e) => {
          const rest = without(link, 'shape')
          onChange(e.target.value ? { ...rest, shape: e.target.value } : rest)
        }}
      >
        <option value="">all of it</option>
        {shapesEver(drawing).map(({ id, name }) => (
          <option key={id} value={id}>
            {name}
          </option>
        ))}
      </select>
    </Line>
  )
}

function MeasureDials({
  rider,
  of: ref,
  onChange,
}: {
  rider: Measure
  of: SettingRef
  onChange: Change<Rider>
}) {
  const { store, engine } = useShotContext()
  const comp = useShot((s) => s.comp)
  const frame = useShot((s) => s.frame)
  const read = useShot((s) => s.read)
  const { laneId } = settingName(comp, ref)
  const now = read?.(rider, frame)?.[0]
  const fit = async () => {
    const { media } = store.getState()
    const { first, last } = comp.frames
    const frames = Array.from({ length: last - first + 1 }, (_, i) => first + i)
    const found = (await engine?.readings({ comp, media }, rider, frames))?.flatMap((r) => r?.[0] ?? []) ?? []
    if (found.length > 0) onChange({ ...rider, from: [Math.min(...found), Math.max(...found)] })
  }
  const pair = (key: 'from' | 'to', words: readonly [string, string]) =>
    ([0, 1] as const).map((i) => (
      <NumberLine
        key={`${key} ${i}`}
        words={words[i]}
        value={rider[key][i]}
        hard={wide}
        step={0.01}
        onChange={(v, gesture) => {
          onChange({ ...rider, [key]: rider[key].with(i, v) as [number, number] }, gesture)
        }}
      />
    ))
  return (
    <>
      <div className="flex flex-wrap gap-1 py-1">
        <LinkChip
          label="light of"
          hint="Its luminance is measured."
          link={{ from: rider.of }}
          without="nothing"
          laneId={laneId}
          kind="source"
          onChange={(link) => {
            if (link && link.from.type !== 'drawing') onChange({ ...rider, of: link.from })
          }}
        />
        <LinkChip
          label="inside"
          hint="Only there. Choose an ID pass to pick objects."
          link={rider.inside}
          without="all of it"
          laneId={laneId}
          kind="matte"
          onChange={(link) => {
            const rest = without(rider, 'inside')
            onChange(link ? { ...rest, inside: plain(link) } : rest)
          }}
        />
      </div>
      <p className="py-0.5 text-xs text-base-content/65">
        {now === undefined ? 'Not measured yet.' : `On this frame: ${now.toPrecision(4)}`}
      </p>
      <Line words="What counts">
        <span className="flex gap-1">
          <select
            className="select select-xs flex-1"
            aria-label="What counts"
            value={rider.what === 'mean' ? 'mean' : 'percent'}
            onChange={(e) => {
              onChange({ ...rider, what: e.target.value === 'mean' ? 'mean' : 95 })
            }}
          >
            <option value="mean">its mean</option>
            <option value="percent">what so much is below</option>
          </select>
          {rider.what !== 'mean' && (
            <span className="w-16">
              <ValueField
                label="Percent that is below"
                value={rider.what}
                unit="%"
                hard={[0, 100]}
                step={1}
                onChange={(v, gesture) => {
                  onChange({ ...rider, what: v }, gesture)
                }}
              />
            </span>
          )}
        </span>
      </Line>
      {pair('from', ['Darkest', 'Brightest'])}
      <button
        type="button"
        className="btn btn-xs my-1"
        onClick={() => void fit()}
        title="Measures all frames of the shot"
      >
        Fit to the shot
      </button>
      {pair('to', ['becomes', 'becomes'])}
      <NumberLine
        words="Lag"
        hint="So many frames later, and softer"
        value={rider.lag}
        hard={[0, 100]}
        step={0.5}
        unit="frames"
        onChange={(v, gesture) => {
          onChange({ ...rider, lag: v }, gesture)
        }}
      />
      <Line words="It is">
        <select
          className="select select-xs"
          aria-label="How it counts"
          value={rider.as}
          onChange={(e) => {
            onChange({ ...rider, as: e.target.value as Measure['as'] })
          }}
        >
          <option value="value">the value</option>
          <option value="times">a factor of the value</option>
          <option value="plus">added to the value</option>
        </select>
      </Line>
    </>
  )
}

/** The numbers of what rides on a track. */
export function RiderDials({
  rider,
  of: ref,
  onChange,
}: {
  rider: Rider
  of: SettingRef
  onChange: Change<Rider>
}) {
  const line = (
    words: string,
    key: string,
    hard: readonly [number, number],
    step: number,
    unit = '',
    hint?: string,
  ) => (
    <NumberLine
      key={key}
      words={words}
      value={(rider as unknown as Record<string, number>)[key]!}
      hard={hard}
      step={step}
      unit={unit}
      {...(hint && { hint })}
      onChange={(v, gesture) => {
        onChange({ ...rider, [key]: key === 'seed' ? Math.round(v) : v }, gesture)
      }}
    />
  )
  switch (rider.type) {
    case 'flicker':
      return (
        <>
          {line('Amount', 'amount', wide, 0.01, '', 'How far it goes up and down at most')}
          {line('Rate', 'rate', [0, 240], 0.1, 'Hz', 'How often in a second')}
          {line('Roughness', 'roughness', [0, 1], 0.05, '', '0 is one even unrest, 1 is nervous')}
          {line('Seed', 'seed', [-1e9, 1e9], 1, '', 'Another number is another flicker')}
          <button
            type="button"
            className="btn btn-xs mt-1"
            onClick={() => {
              onChange({ ...rider, seed: (rider.seed * 7 + 1) % 9973 }, newGesture())
            }}
          >
            Another
          </button>
        </>
      )
    case 'step':
      return line('Frames', 'frames', [1, 1000], 1)
    case 'shift':
      return (
        <>
          {line('Later by', 'frames', wide, 1, 'frames')}
          {line('Speed', 'speed', [-100, 100], 0.05, '×', 'From its first key on')}
          {line('Times', 'times', wide, 0.05, '×')}
          {line('Plus', 'plus', wide, 0.05)}
        </>
      )
    case 'follow':
      return <FollowDials rider={rider} of={ref} onChange={onChange} />
    case 'measure':
      return <MeasureDials rider={rider} of={ref} onChange={onChange} />
  }
}

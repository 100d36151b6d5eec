'use client'

import { cutName } from '../../core/comp/cut-name.ts'
import { Trash2 } from 'lucide-react'
import { useState } from 'react'
import {
  addLane,
  editLane,
  editStep,
  masterId,
  placeOfStep,
  removeStep,
  setFeed,
} from '../../core/comp/edits.ts'
import { settingAt } from '../../core/comp/animation.ts'
import { isAnimated, type FeedLink, type Lane, type Step } from '../../core/comp/schema.ts'
import { counts, dialLabel, number, type Dial, type DialValue } from '../../core/effects/dials.ts'
import { defaultDials, findEffect } from '../../core/effects/registry.ts'
import { describeLane } from '../../core/comp/describe.ts'
import { leaveBus } from '../../core/comp/buses.ts'
import { duplicateLane } from '../../core/comp/fragment.ts'
import { removeLaneOf } from '../desk/remove-lane.tsx'
import { stepTitle } from '../desk/step-title.ts'
import { ShapesPanel } from '../drawing/shapes-panel.tsx'
import { PassDetails } from '../passes/pass-details.tsx'
import { ProfileChart } from './profile-chart.tsx'
import { StartingPoints } from './starting-points.tsx'
import type { ShotStore } from '../shot/shot-store.ts'
import { useShot, useShotContext } from '../shot/shot-context.tsx'
import { ColourRow, NumberRow } from './basic-rows.tsx'
import { DialRow } from './dial-rows.tsx'
import { LinkChip, type ChangeLink } from './link-chip.tsx'
import { MatteChips } from './matte-chips.tsx'
import { CurveEditor } from './curve-editor.tsx'
import { DecisionFile } from './decision-file.tsx'
import { SpanChart } from './span-chart.tsx'
import type { CurvePoint } from '../../core/picture/tone-curve.ts'
import { GradientRows } from './gradient-rows.tsx'
import { ThresholdChart } from './threshold-chart.tsx'

const amountDial = number({
  default: 1,
  range: [0, 1],
  step: 0.01,
  hint: 'How far the step acts: 0 leaves the picture as it was, 1 is all of it.',
})
const opacityDial = number({
  default: 1,
  range: [0, 1],
  step: 0.01,
  hint: 'How much of the lane meets the picture below it.',
})

/** How much light a step adds to what comes to it, on the whole of the picture. */
function lightWords(stops: number): string {
  if (stops >= 10) return 'gives the first light of its lane'
  if (stops === 0) return 'adds no light yet'
  if (Math.abs(stops) < 0.005) return 'adds under 0.01 stops of light'
  return `adds ${stops > 0 ? '+' : '−'}${Math.abs(stops).toFixed(2)} stops of light`
}

/** Lays what passes a step's threshold over the picture until the pointer is let go. */
function showCaught(store: ShotStore, stepId: string): void {
  store.getState().set({ catching: stepId })
  const end = () => {
    store.getState().set({ catching: undefined })
  }
  window.addEventListener('pointerup', end, { once: true })
}

function StepDials({ step, laneId }: { step: Step; laneId: string }) {
  const { store } = useShotContext()
  const frame = useShot((s) => s.frame)
  const laneName = useShot((s) => s.comp.lanes.find((l) => l.id === laneId)?.name ?? 'the whole picture')
  const problem = useShot((s) => s.problems.find((p) => p.stepId === step.id)?.message)
  const { edit, write, set } = store.getState()
  const effect = findEffect(step.effect)
  const title = stepTitle(step)
  const [isNaming, setIsNaming] = useState(false)
  const finishNaming = (text: string) => {
    setIsNaming(false)
    const name = cutName(text.trim())
    if (name && name !== title)
      edit(`Rename ${title}`, (c) =>
        editStep(c, step.id, (s) => {
          s.name = name
        }),
      )
  }
  const canvas = useShot((s) => s.comp.canvas)
  // Points have their defaults on this canvas.
  const defaults = effect ? defaultDials(effect, canvas) : {}
  const value = (key: string): DialValue =>
    settingAt(step.dials[key] ?? ((defaults[key] ?? 0) as never), frame)
  const change = (key: string) => (next: DialValue, gesture?: string) => {
    write(
      `${title}: ${effect ? dialLabel(key, effect.dials[key]!).toLowerCase() : key}`,
      [[{ of: 'dial', step: step.id, key }, next]],
      gesture && `${step.id} ${key} ${gesture}`,
    )
  }
  const feed =
    (key: string, name: string): ChangeLink =>
    (link, gesture, prepare) => {
      edit(
        link ? `Feed ${name} of ${title}` : `Cut ${name} of ${title}`,
        (c) => setFeed(prepare ? prepare(c) : c, step.id, key, link),
        gesture && `${step.id} ${key} ${gesture}`,
      )
    }
  const chart = effect && Object.entries(effect.dials).find(([, d]) => d.type === 'number' && d.chart)
  const chartDial = chart?.[1].type === 'number' ? chart[1] : undefined

  const stops = useShot((s) => s.meters[step.id])
  const profile = effect?.profile?.(
    Object.fromEntries(Object.keys(effect.dials).map((key) => [key, value(key)])) as never,
  )
  const shownDials = Object.entries(effect?.dials ?? {}).filter(([, dial]) => counts(dial, value))
  // Several curves share one field, where the first of them stands.
  const curves = shownDials.flatMap(([key, dial]) =>
    dial.type === 'curve' ? [{ name: key, dial, value: value(key) as readonly CurvePoint[] }] : [],
  )
  const isShared = curves.length > 1
  const rows = shownDials.filter(
    ([key, { type }]) => type !== 'curve' || !isShared || key === curves[0]!.name,
  )
  // Below the dial that shapes it most.
  const profileKey = ['falloff', 'tightness', 'age'].find((key) => shownDials.some(([k]) => k === key))

  return (
    <>
      <div className="flex items-start gap-2">
        <div className="min-w-0 flex-1">
          {isNaming ? (
            <input
              autoFocus
              aria-label="Name of the step"
              className="input input-xs w-full"
              defaultValue={title}
              onBlur={(e) => {
                finishNaming(e.target.value)
              }}
              onKeyDown={(e) => {
                if (e.key === 'Enter') finishNaming(e.currentTarget.value)
                if (e.key === 'Escape') setIsNaming(false)
              }}
            />
          ) : (
            <h2
              className="truncate text-base font-semibold"
              title="Double-click to rename"
              onDoubleClick={() => {
                setIsNaming(true)
              }}
            >
              {title} <span className="text-xs font-normal text-base-content/60">on {laneName}</span>
            </h2>
          )}
          <p className="text-xs text-base-content/65">
            {effect?.purpose ?? 'This effect is not part of this Zafiro; its settings are kept.'}
          </p>
          {effect?.kind === 'light' && step.on && stops !== undefined && (
            <p className="text-xs text-accent" data-testid="light-added">
              {value('alone') === true ? 'gives its light alone, without the picture' : lightWords(stops)}
            </p>
          )}
        </div>
        <label className="flex items-center gap-1.5 text-xs" title="Switch the step off and on (Space)">
          {step.on ? 'on' : 'off'}
          <input
            type="checkbox"
            aria-label={`${title} on`}
            className="toggle toggle-sm toggle-primary"
            checked={step.on}
            onChange={(e) => {
              const { checked } = e.target
              edit(`Switch ${title} ${checked ? 'on' : 'off'}`, (c) =>
                editStep(c, step.id, (s) => {
                  s.on = checked
                }),
              )
            }}
          />
        </label>
      </div>
      {problem && (
        <p role="alert" className="rounded bg-warning/15 px-2 py-1 text-xs text-warning">
          {problem}
        </p>
      )}
      <div className="flex flex-wrap gap-1.5">
        {Object.entries(effect?.feeds ?? {}).map(([key, { hint, kind, without }]) => (
          <LinkChip
            key={key}
            label={key}
            hint={hint}
            link={step.feeds[key]}
            without={without ?? 'its own picture'}
            laneId={laneId}
            kind={kind}
            onChange={feed(key, key)}
          />
        ))}
        <MatteChips
          hint="Where the step acts; without it, everywhere."
          matte={step.matte}
          laneId={laneId}
          onChange={feed('matte', 'matte')}
        />
      </div>
      {effect && <StartingPoints key={step.id} step={step} effect={effect} laneId={laneId} />}
      {effect?.span && <SpanChart step={step} effect={effect} value={value} />}
      {effect?.id === 'cdl-grade' && <DecisionFile stepId={step.id} title={title} value={value} />}
      {chart && chartDial?.chart && (
        <ThresholdChart
          stepId={step.id}
          threshold={value(chart[0]) as number}
          knee={value(chartDial.chart.knee) as number}
          byMost={value(chartDial.chart.measure ?? '') === 'channel'}
          onChange={change(chart[0])}
        />
      )}
      <div className="space-y-0.5">
        {rows.map(([key, dial]) => (
          <div
            key={key}
            onPointerDown={
              key === chart?.[0] || key === chartDial?.chart?.knee
                ? () => {
                    showCaught(store, step.id)
                  }
                : undefined
            }
          >
            {isShared && dial.type === 'curve' ? (
              <CurveEditor curves={curves} onChange={change} />
            ) : (
              <DialRow
                name={key}
                dial={{ ...dial, default: defaults[key] } as Dial}
                value={value(key)}
                onChange={change(key)}
              />
            )}
            {isAnimated(step.dials[key] ?? 0) && <MovesNote />}
            {key === profileKey && profile && <ProfileChart reach={profile.reach} at={profile.at} />}
          </div>
        ))}
        <div className="my-2 border-t border-base-300" />
        <NumberRow
          name="amount"
          dial={amountDial}
          value={settingAt(step.amount, frame) as number}
          onChange={(next, gesture) => {
            write(
              `${title}: amount`,
              [[{ of: 'amount', step: step.id }, next]],
              gesture && `${step.id} amount ${gesture}`,
            )
          }}
        />
        {isAnimated(step.amount) && <MovesNote />}
        {isAnimated(step.amount) && <MovesNote />}
      </div>
      <button
        type="button"
        className="btn btn-ghost btn-xs self-start text-base-content/70"
        onClick={() => {
          edit(`Remove ${title}`, (c) => removeStep(c, step.id))
          set({ selection: { lane: laneId } })
        }}
      >
        <Trash2 size={13} aria-hidden /> Remove the step
      </button>
    </>
  )
}

/** Below a setting that moves: what a change does. */
function MovesNote() {
  return <p className="pl-1 text-xs text-accent">moves; a change shifts its whole curve</p>
}

function LaneDials({ lane }: { lane: Lane }) {
  const { store } = useShotContext()
  const frame = useShot((s) => s.frame)
  const sentence = useShot((s) => describeLane(s.comp, s.media, lane))
  const { edit, write, set } = store.getState()
  const { source } = lane
  const actions = [
    {
      name: 'Duplicate',
      hint: 'A copy in front of it (Ctrl-D)',
      run: () => {
        edit(`Duplicate ${lane.name}`, (c) => duplicateLane(c, lane.id)[0])
      },
    },
    {
      name: 'Live copy',
      hint: 'A lane behind it that follows whatever this lane becomes',
      run: () => {
        let id = ''
        edit(`Live copy of ${lane.name}`, (c) => {
          const at = c.lanes.findIndex((l) => l.id === lane.id)
          const name = cutName(`${lane.name} live`)
          const next = addLane(c, name, { type: 'tap', lane: lane.id }, at)
          id = next.lanes[at]!.id
          return lane.in === undefined
            ? next
            : editLane(next, id, (l) => {
                l.in = lane.in
              })
        })
        set({ selection: { lane: id } })
      },
    },
    {
      name: lane.kind === 'matte' ? 'Into the picture' : 'As matte only',
      hint: 'A matte lane is not in the picture; others take from it',
      run: () => {
        edit(lane.kind === 'matte' ? `${lane.name} into the picture` : `${lane.name} as matte only`, (c) =>
          editLane(c, lane.id, (l) => {
            l.kind = lane.kind === 'matte' ? 'picture' : 'matte'
          }),
        )
      },
    },
    {
      name: lane.locked ? 'Unlock' : 'Lock',
      hint: 'A locked lane can not be changed',
      run: () => {
        edit(`${lane.locked ? 'Unlock' : 'Lock'} ${lane.name}`, (c) =>
          editLane(c, lane.id, (l) => {
            l.locked = !lane.locked
          }),
        )
      },
    },
    ...(lane.in === undefined
      ? []
      : [
          {
            name: 'Out of its bus',
            hint: 'Puts it in front of the bus (Shift-B)',
            run: () => {
              edit(`Take ${lane.name} out of its bus`, (c) => leaveBus(c, lane.id))
            },
          },
        ]),
  ]
  const setSource = (link: FeedLink | undefined) => {
    if (link)
      edit(`Source of ${lane.name}`, (c) =>
        editLane(c, lane.id, (l) => {
          l.source = link.from
        }),
      )
  }
  return (
    <>
      <div>
        <h2 className="truncate text-base font-semibold">
          {lane.name} <span className="text-xs font-normal text-base-content/60">lane</span>
        </h2>
        <p className="text-xs text-base-content/65">{sentence}</p>
      </div>
      {source.type === 'colour' ? (
        <div className="space-y-0.5">
          <ColourRow
            name="colour"
            dial={{ type: 'colour', default: [0.18, 0.18, 0.18], hint: 'Linear light.' }}
            value={source.colour}
            onChange={(next, gesture) => {
              write(
                `Colour of ${lane.name}`,
                [[{ of: 'source', lane: lane.id, key: 'colour' }, next]],
                gesture && `${lane.id} colour ${gesture}`,
              )
            }}
          />
          <NumberRow
            name="alpha"
            dial={{ ...opacityDial, hint: 'How much the colour covers.' }}
            value={source.alpha}
            onChange={(next, gesture) => {
              write(
                `Alpha of ${lane.name}`,
                [[{ of: 'source', lane: lane.id, key: 'alpha' }, next]],
                gesture && `${lane.id} alpha ${gesture}`,
              )
            }}
          />
        </div>
      ) : source.type === 'gradient' ? (
        <GradientRows lane={lane} source={source} />
      ) : source.type === 'drawing' ? (
        <ColourRow
          name="fill"
          dial={{ type: 'colour', default: [1, 1, 1], hint: 'Linear light that the shapes are filled with.' }}
          value={source.colour ?? [1, 1, 1]}
          onChange={(next, gesture) => {
            write(
              `Fill of ${lane.name}`,
              [[{ of: 'source', lane: lane.id, key: 'colour' }, next]],
              gesture && `${lane.id} fill ${gesture}`,
            )
          }}
        />
      ) : source.type === 'lanes' ? (
        <p className="text-xs text-base-content/65">
          A bus: its steps act on all that is in it together. Drag lanes onto it, or out of it.
        </p>
      ) : (
        <div className="flex">
          <LinkChip
            label="source"
            hint="The picture this lane begins with."
            link={{ from: source }}
            without="nothing"
            laneId={lane.id}
            kind="source"
            onChange={setSource}
          />
        </div>
      )}
      <NumberRow
        name="opacity"
        dial={opacityDial}
        value={settingAt(lane.join.opacity, frame) as number}
        onChange={(next, gesture) => {
          write(
            `Opacity of ${lane.name}`,
            [[{ of: 'opacity', lane: lane.id }, next]],
            gesture && `${lane.id} opacity ${gesture}`,
          )
        }}
      />
      {isAnimated(lane.join.opacity) && <MovesNote />}
      <p className="text-xs text-base-content/55">Press / to add a step to this lane.</p>
      <div className="flex flex-wrap gap-1.5">
        <MatteChips
          hint="Where the lane joins; elsewhere the picture below stays as it was."
          matte={lane.join.matte}
          laneId={lane.id}
          onChange={(matte, gesture, prepare) => {
            edit(
              `Matte of ${lane.name}`,
              (c) =>
                editLane(prepare ? prepare(c) : c, lane.id, (l) => {
                  if (matte) l.join.matte = matte
                  else delete l.join.matte
                }),
              gesture && `${lane.id} matte ${gesture}`,
            )
          }}
        />
      </div>
      <div className="flex flex-wrap gap-1">
        {actions.map(({ name, hint, run }) => (
          <button key={name} type="button" className="btn btn-xs" title={hint} onClick={run}>
            {name}
          </button>
        ))}
        <button
          type="button"
          className="btn btn-ghost btn-xs text-base-content/70"
          onClick={() => {
            removeLaneOf(store, lane.id)
          }}
        >
          <Trash2 size={13} aria-hidden /> Remove the lane
        </button>
      </div>
    </>
  )
}

/** Everything that can be set about what is selected on the desk. */
export function DialsPanel() {
  const selection = useShot((s) => s.selection)
  const place = useShot((s) => (s.selection?.step ? placeOfStep(s.comp, s.selection.step) : undefined)?.step)
  const lane = useShot((s) => s.comp.lanes.find((l) => l.id === s.selection?.lane))
  const isEmpty = useShot((s) => s.comp.lanes.length === 0)
  const shown = useShot((s) => s.shownPass)
  const shownMedia = useShot((s) => s.shownPass && s.media[s.shownPass.media])
  const shownPass = shownMedia?.passes.find((p) => p.name === shown?.pass)
  if (shown && shownMedia && shownPass)
    return (
      <section aria-label="About the pass" className="h-full overflow-y-auto bg-base-100 p-3">
        <PassDetails
          key={`${shown.media} ${shown.pass}`}
          mediaRef={shown.media}
          media={shownMedia}
          pass={shownPass}
        />
      </section>
    )
  return (
    <section aria-label="Dials" className="flex h-full flex-col gap-2.5 overflow-y-auto bg-base-100 p-3">
      <ShapesPanel />
      {place && selection ? (
        <StepDials key={place.id} step={place} laneId={selection.lane} />
      ) : lane ? (
        <LaneDials key={lane.id} lane={lane} />
      ) : (
        <p className="text-base-content/65">
          {isEmpty
            ? 'The desk is empty. Bring in a frame to begin.'
            : selection?.lane === masterId
              ? 'Steps on the whole picture act on all lanes together. Press / to add one.'
              : 'Select a lane or a step on the desk to set it.'}
        </p>
      )}
    </section>
  )
}

'use client'

import { Boxes, Trash2 } from 'lucide-react'
import { useMemo, useState } from 'react'
import { cutName } from '../../core/comp/cut-name.ts'
import { editStep, moveStep, removeStep, setFeed } from '../../core/comp/edits.ts'
import type { Step } from '../../core/comp/schema.ts'
import { counts, dialLabel, type Dial, type DialValue } from '../../core/dials/dials.ts'
import { defaultDials } from '../../core/effects/registry.ts'
import { effectOf } from '../../core/recipes/effect-of.ts'
import type { CurvePoint } from '../../core/picture/tone-curve.ts'
import { adviceOn } from '../desk/order-advice.ts'
import { stepTitle } from '../desk/step-title.ts'
import { readSetting } from '../../core/comp/settings.ts'
import { useShot, useShotContext } from '../shot/shot-context.tsx'
import { isOnNow } from '../shot/use-setting.ts'
import type { ShotStore } from '../shot/shot-store.ts'
import { MovedNote } from '../recipes/moved-note.tsx'
import { RecipeBox } from '../recipes/recipe-box.tsx'
import { CurveEditor } from './curve-editor.tsx'
import { DecisionFile } from './decision-file.tsx'
import { LinkChip, type ChangeLink } from './link-chip.tsx'
import { MatteChips } from './matte-chips.tsx'
import { ProfileChart } from './profile-chart.tsx'
import { KeyLine, KeyToggle } from './key-marks.tsx'
import { SettingRow } from './setting-row.tsx'
import { SpanChart } from './span-chart.tsx'
import { StartingPoints } from './starting-points.tsx'
import { ThresholdChart } from './threshold-chart.tsx'

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

export function StepDials({ step, laneId }: { step: Step; laneId: string }) {
  const { store } = useShotContext()
  const frame = useShot((s) => s.frame)
  const laneName = useShot((s) => s.comp.lanes.find((l) => l.id === laneId)?.name ?? 'the whole picture')
  const problem = useShot((s) => s.problems.find((p) => p.stepId === step.id)?.message)
  const { edit, write, set } = store.getState()
  const effect = effectOf(step)
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
  const defaults = useMemo(() => (effect ? defaultDials(effect, canvas) : {}), [effect, canvas])
  const comp = useShot((s) => s.comp)
  const read = useShot((s) => s.read)
  const value = (key: string): DialValue =>
    readSetting(comp, { of: 'dial', step: step.id, key }, frame, read) ?? defaults[key] ?? 0
  const isOn = useShot((s) => isOnNow(s, step))
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

  const advice = adviceOn(comp, step.id)
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
          {isOn && advice && (
            <p className="mt-1 text-xs text-warning">
              {advice.words}{' '}
              <button
                type="button"
                className="link"
                onClick={() => {
                  edit(`Move ${title} before ${advice.before}`, (c) =>
                    moveStep(c, step.id, laneId, advice.at),
                  )
                }}
              >
                Move it there
              </button>
            </p>
          )}
          {effect?.kind === 'light' && isOn && stops !== undefined && (
            <p className="text-xs text-accent" data-testid="light-added">
              {value('alone') === true ? 'gives its light alone, without the picture' : lightWords(stops)}
            </p>
          )}
        </div>
        <label
          className="relative flex items-center gap-1.5 text-xs"
          title="Switch the step off and on (Space)"
        >
          <KeyToggle of={{ of: 'on', step: step.id }} name={`${title} on`} />
          {isOn ? 'on' : 'off'}
          <input
            type="checkbox"
            aria-label={`${title} on`}
            className="toggle toggle-sm toggle-primary"
            checked={isOn}
            onChange={(e) => {
              const { checked } = e.target
              write(`Switch ${title} ${checked ? 'on' : 'off'}`, [[{ of: 'on', step: step.id }, checked]])
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
            label={step.recipe?.inputs.find((i) => i.key === key)?.name ?? key}
            hint={hint}
            link={step.feeds[key]}
            at={{ step: step.id, feed: key }}
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
          at={{ step: step.id, feed: 'matte' }}
          onChange={feed('matte', 'matte')}
        />
      </div>
      <MovedNote step={step} laneId={laneId} />
      {step.recipe && <RecipeBox key={`recipe ${step.id}`} step={step} />}
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
              <SettingRow
                of={{ of: 'dial', step: step.id, key }}
                name={key}
                edits={`${title}: ${dialLabel(key, dial).toLowerCase()}`}
                {...(defaults[key] !== undefined && { resetsTo: defaults[key] as Dial['default'] })}
              />
            )}
            {isShared &&
              dial.type === 'curve' &&
              curves.map((c) => (
                <KeyLine
                  key={c.name}
                  of={{ of: 'dial', step: step.id, key: c.name }}
                  name={`${title}: ${dialLabel(c.name, c.dial).toLowerCase()}`}
                />
              ))}
            {key === profileKey && profile && <ProfileChart reach={profile.reach} at={profile.at} />}
          </div>
        ))}
        <div className="my-2 border-t border-base-300" />
        <SettingRow of={{ of: 'amount', step: step.id }} name="amount" edits={`${title}: amount`} />
      </div>
      <button
        type="button"
        className="btn btn-ghost btn-xs self-start"
        title="This step and its neighbours as one step with a few dials (G)"
        onClick={() => {
          set({ making: { lane: laneId, step: step.id } })
        }}
      >
        <Boxes size={13} aria-hidden /> Make one step …
      </button>
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

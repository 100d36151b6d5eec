'use client'

import { Dialog } from '@base-ui/react/dialog'
import { ArrowUp } from 'lucide-react'
import { useState, type CSSProperties } from 'react'
import { families } from '../../core/comp/recipe.ts'
import { allSteps, type Comp, type Step } from '../../core/comp/schema.ts'
import { dialAt, listSettings, putDial, type SettingRef } from '../../core/comp/settings.ts'
import { lanesOfStep, withInside } from '../../core/comp/edits.ts'
import { dialLabel } from '../../core/dials/dials.ts'
import {
  makeOneStep,
  makeOneStepOfLanes,
  makeProblem,
  recipeDial,
  type NewDial,
  type NewRecipe,
} from '../../core/recipes/make.ts'
import { effectOf } from '../../core/recipes/effect-of.ts'
import { OwnPicture } from './own-picture.tsx'
import { stepTitle } from '../desk/step-title.ts'
import { useShot, useShotContext } from '../shot/shot-context.tsx'

/** What is to become one step: steps of a lane, the first of them chosen, or a lane. */
type Making = { readonly lane: string; readonly step?: string }

interface Row {
  readonly key: string
  readonly ref: SettingRef
  readonly of: string
  readonly label: string
}

/** Settings that can be dials, by the step that they are of. */
function rowsOf(comp: Comp, steps: ReadonlySet<string>, lanes: ReadonlySet<string>): Row[] {
  return listSettings(comp).flatMap((ref): Row[] => {
    const step = 'step' in ref ? allSteps(comp).find((s) => s.id === ref.step) : undefined
    const isIn = step ? steps.has(step.id) : ref.of === 'opacity' && lanes.has(ref.lane)
    if (!isIn || ref.of === 'on') return []
    if (ref.of !== 'dial' && ref.of !== 'amount' && ref.of !== 'opacity') return []
    const dial = dialAt(comp, ref)
    if (!dial || !recipeDial(comp, { name: 'x', settings: [{ ref }] }, new Set())) return []
    const of = step
      ? stepTitle(step)
      : `lane ${comp.lanes.find((l) => 'lane' in ref && l.id === ref.lane)?.name ?? ''}`
    const label = ref.of === 'dial' ? dialLabel(ref.key, dial) : ref.of === 'amount' ? 'Amount' : 'Opacity'
    return [{ key: JSON.stringify(ref), ref, of, label }]
  })
}

/** Dials that most likely count: the first number of what gives light or shade, and colours. */
function likely(comp: Comp, rows: readonly Row[]): string[] {
  const wanted = /^(Strength|Threshold|Reach|Radius|Length|Tint|Far colour|Stops)$/
  return rows.filter((r) => wanted.test(r.label)).map((r) => r.key).slice(0, 5)
} // prettier-ignore

/** *Make one step*: a name, which steps, and which of their dials show, under which names; several in one where they have the same name. */
function MakeDialog({ making, onClose }: { making: Making; onClose: () => void }) {
  const { store } = useShotContext()
  const comp = useShot((s) => s.comp)
  const lane = comp.lanes.find((l) => l.id === making.lane)
  const list: readonly Step[] = lane?.steps ?? comp.master
  const isOfLane = making.step === undefined
  const start = Math.max(0, list.findIndex((s) => s.id === making.step))
  const [from, setFrom] = useState(start)
  // As far as steps are of one family.
  const [to, setTo] = useState(() => {
    const other = list.findIndex((s, i) => i > start && effectOf(s)?.family !== effectOf(list[start])?.family)
    return other < 0 ? list.length - 1 : other - 1
  })
  const [name, setName] = useState(isOfLane ? (lane?.name ?? 'Lanes') : `${stepTitle(list[start]!)} and more`)
  const [about, setAbout] = useState('')
  const [words, setWords] = useState('')
  const [family, setFamily] = useState(effectOf(list[start])?.family ?? 'light')
  const [keepsDrawings, setKeepsDrawings] = useState(false)
  // Of lanes on one of their own, nothing comes in that it could be without.
  const [parts, setParts] = useState(!isOfLane)
  const chosen = list.slice(from, to + 1)
  const laneIds = isOfLane ? withInside(comp, making.lane) : chosen.flatMap((s) => lanesOfStep(comp, s.id))
  const steps = new Set(isOfLane ? comp.lanes.filter((l) => laneIds.includes(l.id)).flatMap((l) => l.steps.map((s) => s.id)) : chosen.map((s) => s.id))
  const rows = rowsOf(comp, steps, new Set(isOfLane ? laneIds : []))
  const [names, setNames] = useState<Readonly<Record<string, string>>>(() =>
    Object.fromEntries(likely(comp, rows).map((key) => [key, rows.find((r) => r.key === key)!.label])),
  )
  // In the order in which they were ticked, or put since.
  const shown = Object.keys(names).flatMap((key) => rows.find((r) => r.key === key) ?? [])
  const dials: NewDial[] = [...new Set(shown.map((r) => names[r.key]!.trim() || r.label))].map((one) => ({
    name: one,
    settings: shown.filter((r) => (names[r.key]!.trim() || r.label) === one).map(({ ref }) => ({ ref })),
  }))
  const problem = isOfLane ? undefined : makeProblem(comp, chosen.map((s) => s.id))

  const sooner = (key: string) => {
    const keys = Object.keys(names)
    const at = keys.indexOf(key)
    if (at > 0) setNames(Object.fromEntries(keys.with(at, keys[at - 1]!).with(at - 1, key).map((one) => [one, names[one]!])))
  }
  /** The comp with it made, the lane and the step that it is. */
  const madeIn = (c: Comp, wanted: NewRecipe): readonly [Comp, string, string] => {
    const { media } = store.getState()
    if (isOfLane) return makeOneStepOfLanes(c, media, [making.lane], wanted)
    const [next, step] = makeOneStep(c, media, chosen.map((s) => s.id), wanted)
    return [next, making.lane, step]
  }
  const [tried, setTried] = useState<Readonly<Record<string, number>>>({})
  const trial = problem === undefined && (isOfLane || chosen.length > 0) ? madeIn(comp, { name: 'Trial', about: '', family, dials, keepsDrawings, parts }) : undefined
  const sliders = (allSteps(trial?.[0] ?? comp).find((s) => s.id === trial?.[2])?.recipe?.dials ?? []).filter((d) => d.type === 'number')
  const inputs = allSteps(trial?.[0] ?? comp).find((s) => s.id === trial?.[2])?.recipe?.inputs ?? []
  const tryOut = (c: Comp): Comp => {
    const [next, , step] = madeIn(c, { name: 'Trial', about: '', family, dials, keepsDrawings, parts })
    return sliders.reduce((one, d) => (tried[d.name] === undefined ? one : putDial(one, step, d.key, tried[d.name]!)), next)
  }

  const make = () => {
    const { edit, set } = store.getState()
    const wanted = { name: name.trim() || 'One step', about: about.trim() || 'Made from steps of a shot.', family, dials, keepsDrawings, parts, ...(words.trim() ? { words: words.trim() } : {}) }
    let [laneId, stepId] = [making.lane, '']
    edit(`Make ${wanted.name} one step`, (c) => {
      const [next, made, step] = madeIn(c, wanted)
      laneId = made
      stepId = step
      return next
    })
    if (stepId) set({ selection: { lane: laneId, step: stepId } })
    onClose()
  }
  return (
    <Dialog.Root open onOpenChange={(isOpen) => { if (!isOpen) onClose() }}>
      <Dialog.Portal>
        <Dialog.Backdrop className="fixed inset-0 z-40 bg-black/60" />
        <Dialog.Popup className="fixed left-1/2 top-1/2 z-50 flex max-h-[88vh] w-[min(44rem,94vw)] -translate-x-1/2 -translate-y-1/2 flex-col gap-3 rounded-lg border border-base-content/15 bg-base-100 p-5 text-xs outline-none">
          <Dialog.Title className="text-base font-semibold">Make one step</Dialog.Title>
          <form
            className="flex min-h-0 flex-col gap-3"
            onSubmit={(event) => {
              event.preventDefault()
              make()
            }}
          >
            <div className="grid grid-cols-[5rem_1fr_5rem_1fr] items-center gap-2">
              <label htmlFor="make-name">name</label>
              <input id="make-name" autoFocus required maxLength={120} className="input input-xs w-full" value={name} onChange={(e) => { setName(e.target.value) }} />
              <label htmlFor="make-family">family</label>
              <select id="make-family" className="rounded bg-base-300 px-1.5 py-1" value={family} onChange={(e) => { setFamily(e.target.value as typeof family) }}>
                {families.map((one) => <option key={one}>{one}</option>)}
              </select>
              <label htmlFor="make-about">it is for</label>
              <input id="make-about" maxLength={400} className="input input-xs w-full" placeholder="One line on what it does" value={about} onChange={(e) => { setAbout(e.target.value) }} />
              <label htmlFor="make-words">found by</label>
              <input id="make-words" maxLength={400} className="input input-xs w-full" placeholder="further words" value={words} onChange={(e) => { setWords(e.target.value) }} />
              {!isOfLane && (
                <>
                  <label htmlFor="make-from">from</label>
                  <select id="make-from" className="rounded bg-base-300 px-1.5 py-1" value={from} onChange={(e) => { setFrom(Number(e.target.value)); setTo(Math.max(to, Number(e.target.value))) }}>
                    {list.map((s, i) => <option key={s.id} value={i}>{stepTitle(s)}</option>)}
                  </select>
                  <label htmlFor="make-to">to</label>
                  <select id="make-to" className="rounded bg-base-300 px-1.5 py-1" value={to} onChange={(e) => { setTo(Number(e.target.value)) }}>
                    {list.map((s, i) => i >= from && <option key={s.id} value={i}>{stepTitle(s)}</option>)}
                  </select>
                </>
              )}
            </div>
            {trial && (
              <div className="flex gap-3 rounded bg-base-200 p-2" role="group" aria-label="Try the dials">
                <OwnPicture
                  name={`trial ${from} ${to} ${JSON.stringify([names, tried, parts, keepsDrawings])}`}
                  change={tryOut}
                  className="h-[5.6rem] w-40 shrink-0"
                  isStill
                />
                <div className="min-w-0 flex-1 space-y-0.5 overflow-y-auto" style={{ maxHeight: '5.6rem' }}>
                  {sliders.map(({ key, name: label, range: [low, high] = [0, 1], default: usual }) => (
                    <label key={key} className="grid grid-cols-[7rem_1fr_3.5rem] items-center gap-2">
                      <span className="truncate">{label}</span>
                      <input
                        type="range"
                        aria-label={`Try ${label}`}
                        className="light-slider"
                        min={low}
                        max={high}
                        step={(high - low) / 200 || 1}
                        value={tried[label] ?? Number(usual)}
                        style={{ '--filled': `${(100 * ((tried[label] ?? Number(usual)) - low)) / (high - low || 1)}%` } as CSSProperties}
                        onChange={(e) => { setTried({ ...tried, [label]: Number(e.target.value) }) }}
                      />
                      <span className="text-right text-base-content/65">{Number((tried[label] ?? Number(usual)).toFixed(3))}</span>
                    </label>
                  ))}
                  <p className="text-base-content/55">{sliders.length > 0 ? 'Try how far they move the picture: nothing of it stays.' : 'Numbers that are ticked can be tried here.'}</p>
                </div>
              </div>
            )}
            {trial && (
              <p className="text-base-content/65">
                {inputs.length === 0
                  ? 'Nothing comes in but the picture.'
                  : `Comes in, beside the picture: ${inputs.map((i) => `${i.name} (${i.kind}${i.required ? ', needed' : ''})`).join(', ')}.`}
              </p>
            )}
            <p className="text-base-content/65">
              Tick the dials that it shows. Those with the same name are one dial: the others move in proportion to the first. All else stays inside, as it is.
            </p>
            <ul aria-label="Dials" className="min-h-0 flex-1 space-y-0.5 overflow-y-auto rounded bg-base-200 p-2">
              {rows.map((row) => {
                const isShown = names[row.key] !== undefined
                return (
                  <li key={row.key} className="grid grid-cols-[1fr_1fr] items-center gap-2">
                    <label className="flex cursor-pointer items-center gap-2">
                      <input
                        type="checkbox"
                        className="checkbox checkbox-xs checkbox-primary"
                        checked={isShown}
                        onChange={() => {
                          const rest = Object.fromEntries(Object.entries(names).filter(([one]) => one !== row.key))
                          setNames(isShown ? rest : { ...names, [row.key]: row.label })
                        }}
                      />
                      <span>{row.label}</span>
                      <span className="truncate text-base-content/55">{row.of}</span>
                    </label>
                    {isShown && (
                      <span className="flex items-center gap-1">
                      <input
                        aria-label={`Name of ${row.label} of ${row.of}`}
                        className="input input-xs w-full"
                        maxLength={120}
                        value={names[row.key]}
                        onChange={(e) => { setNames({ ...names, [row.key]: e.target.value }) }}
                      />
                      <button type="button" className="btn btn-ghost btn-xs px-1" aria-label={`${row.label} of ${row.of} sooner`} title={`Place ${Object.keys(names).indexOf(row.key) + 1} of ${shown.length}: one place sooner`} disabled={shown[0]?.key === row.key} onClick={() => { sooner(row.key) }}>
                        <span className="w-3 text-base-content/65">{shown.findIndex((one) => one.key === row.key) + 1}</span>
                        <ArrowUp size={12} aria-hidden />
                      </button>
                      </span>
                    )}
                  </li>
                )
              })}
              {rows.length === 0 && <li className="text-base-content/55">None of these steps has a dial that could show.</li>}
            </ul>
            <label className="flex cursor-pointer items-center gap-2">
              <input type="checkbox" className="checkbox checkbox-xs checkbox-primary" checked={keepsDrawings} onChange={(e) => { setKeepsDrawings(e.target.checked) }} />
              its drawings go along; else they are connected from outside
            </label>
            {!isOfLane && (
              <label className="flex cursor-pointer items-center gap-2">
                <input type="checkbox" className="checkbox checkbox-xs checkbox-primary" checked={parts} onChange={(e) => { setParts(e.target.checked) }} />
                <span>
                  a switch <em>Show</em>: all of it, what it adds alone, or what comes in without it
                </span>
              </label>
            )}
            {problem !== undefined && <p role="alert" className="text-warning">{problem}</p>}
            <div className="flex justify-end gap-2">
              <Dialog.Close className="btn btn-sm">Leave it</Dialog.Close>
              <button type="submit" className="btn btn-sm btn-primary" disabled={problem !== undefined || (isOfLane ? false : chosen.length === 0)}>
                Make one step with {dials.length} {dials.length === 1 ? 'dial' : 'dials'}
              </button>
            </div>
          </form>
        </Dialog.Popup>
      </Dialog.Portal>
    </Dialog.Root>
  )
} // prettier-ignore

/** The dialog, while something is to become one step. */
export function MakeDialogs() {
  const { store } = useShotContext()
  const making = useShot((s) => s.making)
  return (
    making && (
      <MakeDialog
        making={making}
        onClose={() => {
          store.getState().set({ making: undefined })
        }}
      />
    )
  )
}

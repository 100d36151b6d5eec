'use client'

import { Dialog } from '@base-ui/react/dialog'
import { useState, type ReactNode } from 'react'
import { families } from '../../core/comp/recipe.ts'
import { findStep, type Comp, type Step } from '../../core/comp/schema.ts'
import { dialAt, listSettings } from '../../core/comp/settings.ts'
import { lanesOfStep, withInside } from '../../core/comp/edits.ts'
import { dialLabel } from '../../core/dials/dials.ts'
import {
  makeOneStep,
  makeOneStepOfLanes,
  makeProblem,
  recipeDial,
  type NewDial,
  type NewInput,
  type NewRecipe,
} from '../../core/recipes/make.ts'
import { effectOf } from '../../core/recipes/effect-of.ts'
import { stepTitle } from '../desk/step-title.ts'
import { useShot, useShotContext } from '../shot/shot-context.tsx'
import { DialList, InputList, type DialNames, type DialRow, type InputRow } from './make-lists.tsx'
import { TryDials } from './make-try.tsx'

/** What is to become one step: steps of a lane, the first of them chosen, or a lane. */
interface Making {
  readonly lane: string
  readonly step?: string
}

/** Settings that can be dials, by the step that they are of. */
function rowsOf(comp: Comp, steps: ReadonlySet<string>, lanes: ReadonlySet<string>): DialRow[] {
  return listSettings(comp).flatMap((ref): DialRow[] => {
    const step = 'step' in ref ? findStep(comp, ref.step) : undefined
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
function likely(rows: readonly DialRow[]): DialNames {
  const wanted = /^(Strength|Threshold|Reach|Radius|Length|Tint|Far colour|Stops)$/
  const five = rows.filter((r) => wanted.test(r.label)).slice(0, 5)
  return Object.fromEntries(five.map((r) => [r.key, r.label]))
}

/** One dial for each name, over all settings that have it. */
function dialsNamed(rows: readonly DialRow[], names: DialNames): NewDial[] {
  const shown = Object.keys(names).flatMap((key) => rows.find((r) => r.key === key) ?? [])
  const nameOf = (row: DialRow) => names[row.key]!.trim() || row.label
  return [...new Set(shown.map(nameOf))].map((name) => ({
    name,
    settings: shown.filter((r) => nameOf(r) === name).map(({ ref }) => ({ ref })),
  }))
}

/** A part of the comp that is to become one step. */
interface Part {
  readonly steps: ReadonlySet<string>
  readonly lanes: ReadonlySet<string>
  /** The comp with it made, the lane and the step that it is. */
  readonly madeIn: (comp: Comp, wanted: NewRecipe) => readonly [comp: Comp, lane: string, step: string]
  readonly problem: string | undefined
}

function Field({ id, label, children }: { id: string; label: string; children: ReactNode }) {
  return (
    <>
      <label htmlFor={id}>{label}</label>
      {children}
    </>
  )
}

/** *Make one step*: a name, which steps, what comes in, and which of their dials show, under which names; several in one where they have the same name. */
function MakeDialog({ making, onClose }: { making: Making; onClose: () => void }) {
  const { store } = useShotContext()
  const comp = useShot((s) => s.comp)
  const lane = comp.lanes.find((l) => l.id === making.lane)
  const list: readonly Step[] = lane?.steps ?? comp.master
  const isOfLane = making.step === undefined
  const start = Math.max(
    0,
    list.findIndex((s) => s.id === making.step),
  )
  const [from, setFrom] = useState(start)
  // As far as steps are of one family.
  const [to, setTo] = useState(() => {
    const family = effectOf(list[start])?.family
    const other = list.findIndex((s, i) => i > start && effectOf(s)?.family !== family)
    return other < 0 ? list.length - 1 : other - 1
  })
  const partOf = (): Part => {
    const { media } = store.getState()
    if (isOfLane) {
      const lanes = new Set(withInside(comp, making.lane))
      const steps = comp.lanes.filter((l) => lanes.has(l.id)).flatMap((l) => l.steps.map((s) => s.id))
      return {
        steps: new Set(steps),
        lanes,
        madeIn: (c, wanted) => makeOneStepOfLanes(c, media, [making.lane], wanted),
        problem: undefined,
      }
    }
    const ids = list.slice(from, to + 1).map((s) => s.id)
    return {
      steps: new Set(ids),
      lanes: new Set(ids.flatMap((id) => lanesOfStep(comp, id))),
      madeIn: (c, wanted) => {
        const [next, step] = makeOneStep(c, media, ids, wanted)
        return [next, making.lane, step]
      },
      problem: ids.length === 0 ? 'Choose at least one step.' : makeProblem(comp, ids),
    }
  }
  const part = partOf()
  const rows = rowsOf(comp, part.steps, part.lanes)
  const [name, setName] = useState(isOfLane ? (lane?.name ?? 'Lanes') : `${stepTitle(list[start]!)} and more`)
  const [about, setAbout] = useState('')
  const [words, setWords] = useState('')
  const [family, setFamily] = useState(effectOf(list[start])?.family ?? 'light')
  // Of lanes on one of their own, nothing comes in that it could be without.
  const [parts, setParts] = useState(!isOfLane)
  const [names, setNames] = useState<DialNames>(() => likely(rows))
  const [inputs, setInputs] = useState<readonly NewInput[]>([])
  const wanted: NewRecipe = {
    name: name.trim() || 'One step',
    about: about.trim() || 'Made from steps of a shot.',
    family,
    dials: dialsNamed(rows, names),
    inputs,
    parts,
    ...(words.trim() ? { words: words.trim() } : {}),
  }
  const stepIn = (c: Comp, of: NewRecipe) => {
    const [next, , id] = part.madeIn(c, of)
    return findStep(next, id)
  }
  const made = part.problem === undefined ? stepIn(comp, wanted) : undefined
  // As all would come in, so that what was left out can come back.
  const outer = part.problem === undefined ? stepIn(comp, { ...wanted, inputs: [] }) : undefined
  const inputRows = (outer?.recipe?.inputs ?? []).map((input): InputRow => ({
    input,
    link: outer!.feeds[input.key]!.from,
  }))

  const make = () => {
    const { edit, set } = store.getState()
    let [laneId, stepId] = ['', '']
    edit(`Make ${wanted.name} one step`, (c) => {
      const [next, ...where] = part.madeIn(c, wanted)
      ;[laneId, stepId] = where
      return next
    })
    if (stepId) set({ selection: { lane: laneId, step: stepId } })
    onClose()
  }
  const text = (id: string, value: string, set: (to: string) => void, placeholder?: string, most = 400) => (
    <input
      id={id}
      className="input input-xs w-full"
      maxLength={most}
      placeholder={placeholder}
      value={value}
      onChange={(e) => {
        set(e.target.value)
      }}
    />
  )
  const steps = (id: string, value: number, set: (to: number) => void, first: number) => (
    <select
      id={id}
      className="rounded bg-base-300 px-1.5 py-1"
      value={value}
      onChange={(e) => {
        set(Number(e.target.value))
      }}
    >
      {list.map(
        (s, i) =>
          i >= first && (
            <option key={s.id} value={i}>
              {stepTitle(s)}
            </option>
          ),
      )}
    </select>
  )
  return (
    <Dialog.Root
      open
      onOpenChange={(isOpen) => {
        if (!isOpen) onClose()
      }}
    >
      <Dialog.Portal>
        <Dialog.Backdrop className="fixed inset-0 z-40 bg-black/60" />
        <Dialog.Popup className="fixed left-1/2 top-1/2 z-50 flex max-h-[92vh] w-[min(44rem,94vw)] -translate-x-1/2 -translate-y-1/2 flex-col gap-3 rounded-lg border border-base-content/15 bg-base-100 p-5 text-xs outline-none">
          <Dialog.Title className="text-base font-semibold">Make one step</Dialog.Title>
          <form
            className="flex min-h-0 flex-col gap-3"
            onSubmit={(event) => {
              event.preventDefault()
              make()
            }}
          >
            <div className="grid grid-cols-[5rem_1fr_5rem_1fr] items-center gap-2">
              <Field id="make-name" label="name">
                <input
                  id="make-name"
                  autoFocus
                  required
                  maxLength={120}
                  className="input input-xs w-full"
                  value={name}
                  onChange={(e) => {
                    setName(e.target.value)
                  }}
                />
              </Field>
              <Field id="make-family" label="family">
                <select
                  id="make-family"
                  className="rounded bg-base-300 px-1.5 py-1"
                  value={family}
                  onChange={(e) => {
                    setFamily(e.target.value as typeof family)
                  }}
                >
                  {families.map((one) => (
                    <option key={one}>{one}</option>
                  ))}
                </select>
              </Field>
              <Field id="make-about" label="it is for">
                {text('make-about', about, setAbout, 'One line on what it does')}
              </Field>
              <Field id="make-words" label="found by">
                {text('make-words', words, setWords, 'further words')}
              </Field>
              {!isOfLane && (
                <>
                  <Field id="make-from" label="from">
                    {steps(
                      'make-from',
                      from,
                      (to) => {
                        setFrom(to)
                        setTo((last) => Math.max(last, to))
                      },
                      0,
                    )}
                  </Field>
                  <Field id="make-to" label="to">
                    {steps('make-to', to, setTo, from)}
                  </Field>
                </>
              )}
            </div>
            {made && (
              <TryDials
                name={`${from} ${to} ${JSON.stringify([wanted.dials, inputs])}`}
                dials={made.recipe?.dials ?? []}
                madeIn={(c) => {
                  const [next, , step] = part.madeIn(c, wanted)
                  return [next, step]
                }}
              />
            )}
            <div className="min-h-24 flex-1 space-y-2 overflow-y-auto rounded bg-base-200 p-2">
              {made && (
                <>
                  <p className="text-base-content/65">
                    What comes in, beside the picture, and what it is called:
                  </p>
                  <InputList rows={inputRows} wanted={inputs} onChange={setInputs} />
                </>
              )}
              <p className="text-base-content/65">
                The dials that it shows. Those with the same name are one dial: the others move in proportion
                to the first. All else stays inside, as it is.
              </p>
              <DialList rows={rows} names={names} onChange={setNames} />
            </div>
            {!isOfLane && (
              <label className="flex cursor-pointer items-center gap-2">
                <input
                  type="checkbox"
                  className="checkbox checkbox-xs checkbox-primary"
                  checked={parts}
                  onChange={(e) => {
                    setParts(e.target.checked)
                  }}
                />
                <span>
                  a switch <em>Show</em>: all of it, what it adds alone, or what comes in without it
                </span>
              </label>
            )}
            {part.problem !== undefined && (
              <p role="alert" className="text-warning">
                {part.problem}
              </p>
            )}
            <div className="flex justify-end gap-2">
              <Dialog.Close className="btn btn-sm">Leave it</Dialog.Close>
              <button type="submit" className="btn btn-sm btn-primary" disabled={part.problem !== undefined}>
                Make one step with {wanted.dials.length} {wanted.dials.length === 1 ? 'dial' : 'dials'}
              </button>
            </div>
          </form>
        </Dialog.Popup>
      </Dialog.Portal>
    </Dialog.Root>
  )
}

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

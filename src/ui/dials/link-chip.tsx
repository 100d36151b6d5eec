'use client'

import { useDroppable } from '@dnd-kit/core'
import { Link2, PenLine, Unlink } from 'lucide-react'
import { useId, useMemo, useState } from 'react'
import { shapesOn } from '../../core/comp/drawing-at.ts'
import { addDrawing, findDrawing } from '../../core/comp/drawing-edits.ts'
import { freshId } from '../../core/comp/edits.ts'
import { servingFrame, type MediaTable } from '../../core/comp/media.ts'
import { passKinds, rulesOf, type PassKind } from '../../core/passes/passes.ts'
import type { LinkRef } from '../../core/comp/settings.ts'
import type { FeedKind } from '../../core/effects/effect.ts'
import type { Comp, FeedLink, Lane, Link } from '../../core/comp/schema.ts'
import { findStep } from '../../core/comp/schema.ts'
import { pictureInput, type RecipeInput } from '../../core/comp/recipe.ts'
import { stepAround } from '../../core/recipes/expand.ts'
import type { Dropped } from '../desk/drop-edge.ts'
import { stepTitle } from '../desk/step-title.ts'
import { ObjectChoice } from './object-choice.tsx'
import { SettingRow } from './setting-row.tsx'
import { settingNow } from '../shot/use-setting.ts'
import { useShot, useShotContext } from '../shot/shot-context.tsx'

const passLink = (media: string, pass: string): Link => ({ type: 'pass', media, pass })
const tapLink = (lane: string, after?: string): Link => ({
  type: 'tap',
  lane,
  ...(after === undefined ? {} : { after }),
})
const drawingLink = (drawing: string): Link => ({ type: 'drawing', drawing })
const passOf = (link: Link) => (link.type === 'pass' ? link.pass : '')
const parts = { alpha: 'α', luminance: 'Y', red: 'R', green: 'G', blue: 'B' } as const
const encode = (link: Link) => JSON.stringify(link)

interface LinkChipProps {
  readonly label: string
  readonly hint: string
  readonly link: FeedLink | undefined
  /** What counts while nothing is connected. */
  readonly without: string
  /** Lane whose own end can not be fed from. */
  readonly laneId: string
  /** Where it stands, for the settings of its edge. */
  readonly at?: LinkRef
  /** What it brings; a source brings a picture. */
  readonly kind: FeedKind | 'source'
  readonly onChange: ChangeLink
}

/** Edits of one gesture are undone together; `prepare` is made in the same edit, before the link. */
export type ChangeLink<L extends FeedLink = FeedLink> = (
  link: L | undefined,
  gesture?: string,
  prepare?: (comp: Comp) => Comp,
) => void

/** Stands in the list of links for a drawing that is begun by choosing it. */
const newDrawing = 'new drawing'

interface LinkOptions {
  readonly group: string
  readonly links: readonly { readonly text: string; readonly link: Link }[]
}

interface NamedLane {
  readonly id: string
  readonly name: string
  readonly steps: readonly { readonly id: string; readonly title: string }[]
}
let named: { lanes: readonly Lane[]; text: string } | undefined

/** What can be said of lanes and their steps in a list, as text: the same as long as no name and no order changes; made once for all chips. */
function namesOf(lanes: readonly Lane[]): string {
  if (named?.lanes === lanes) return named.text
  const all = lanes.map(({ id, name, steps }): NamedLane => ({
    id,
    name,
    steps: steps.map((s) => ({ id: s.id, title: stepTitle(s) })),
  }))
  const text = JSON.stringify(all)
  named = { lanes, text }
  return text
}

let beside: { lanes: readonly Lane[]; step: string | undefined; found: readonly Lane[] } | undefined
/** Lanes that stand in the same place as one: on the desk, or in the same step. The same list as long as no lane changes. */
function lanesBeside(comp: Comp, laneId: string): readonly Lane[] {
  const step = stepAround(comp, laneId)
  if (beside?.lanes !== comp.lanes || beside.step !== step)
    beside = { lanes: comp.lanes, step, found: comp.lanes.filter((l) => stepAround(comp, l.id) === step) }
  return beside.found
}

const noInputs: readonly RecipeInput[] = []
/** What comes into the step that a lane is a part of; nothing on the desk. */
function inputsHere(comp: Comp, laneId: string): readonly RecipeInput[] {
  const step = stepAround(comp, laneId)
  return step === undefined ? noInputs : (findStep(comp, step)?.recipe?.inputs ?? noInputs)
}

function inputOptions(inputs: readonly RecipeInput[]): LinkOptions[] {
  if (inputs === noInputs) return []
  const link = (input: string): Link => ({ type: 'input', input })
  return [
    {
      group: 'What comes in',
      links: [
        { text: 'the picture', link: link(pictureInput) },
        ...inputs.map(({ key, name }) => ({ text: name, link: link(key) })),
      ],
    },
  ]
}

/** Lanes at their end, and points inside them: those of the own lane are no loop when they lie before the step. */
function laneOptions(lanes: readonly NamedLane[], laneId: string): LinkOptions[] {
  const others = lanes.filter((l) => l.id !== laneId)
  return [
    {
      group: 'Lanes, at their end',
      links: others.map((l) => ({ text: `tap of ${l.name}`, link: tapLink(l.id) })),
    },
    ...lanes
      .filter((l) => l.steps.length > 0)
      .map((l) => ({
        group: `${l.name}, inside`,
        links: [
          { text: `${l.name} before its steps`, link: tapLink(l.id, 'source') },
          ...l.steps.map((s) => ({ text: `${l.name} after ${s.title}`, link: tapLink(l.id, s.id) })),
        ],
      })),
  ]
}

/** Everything that a feed of a kind may come from. */
function linkOptions(
  kind: LinkChipProps['kind'],
  media: MediaTable,
  drawings: Comp['drawings'],
  lanes: readonly NamedLane[],
  laneId: string,
): LinkOptions[] {
  const isMatte = kind === 'matte'
  const isData = passKinds.some((k) => k === kind && rulesOf(k).isData)
  const fits = (pass: PassKind) => {
    if (pass === 'table' || kind === 'table') return pass === kind
    if (isMatte) return true
    return isData ? pass === kind || pass === 'matte' || pass === 'other' : !rulesOf(pass).isData
  }
  return [
    ...Object.entries(media).map(([ref, m]) => ({
      group: m.name,
      links: m.passes
        .filter((p) => fits(p.kind))
        .map((p) => ({
          text: `${m.name} · ${p.name}`,
          link: passLink(ref, p.name),
        })),
    })),
    ...(isMatte && drawings.length > 0
      ? [
          {
            group: 'Drawn shapes',
            links: drawings.map((d) => ({ text: d.name, link: drawingLink(d.id) })),
          },
        ]
      : []),
    ...(kind === 'table' ? [] : laneOptions(lanes, laneId)),
  ]
}

/** A feed of a step as a chip: where it comes from, to choose, to invert and to cut. */
export function LinkChip({ label, hint, link, without, laneId, at, kind, onChange }: LinkChipProps) {
  const isMatte = kind === 'matte'
  const { store } = useShotContext()
  const drawings = useShot((s) => s.comp.drawings)
  const drawnId = link?.from.type === 'drawing' ? link.from.drawing : undefined
  const isEmptyHere = useShot((s) => {
    const drawing = drawnId === undefined ? undefined : findDrawing(s.comp, drawnId)
    return drawing !== undefined && shapesOn(drawing, s.frame).every((shape) => !shape.shown)
  })
  const passLinked = link?.from.type === 'pass' ? link.from : undefined
  const gapWords = useShot((s) => {
    const one = passLinked && s.media[passLinked.media]
    const pass = one?.passes.find((p) => p.name === passLinked?.pass)
    if (!one || !pass) return undefined
    const { frame, isGap } = servingFrame(one, s.frame, pass)
    return isGap ? (frame === undefined ? 'no frame here' : `frame ${frame} here`) : undefined
  })
  const isDrawing = useShot((s) => drawnId !== undefined && s.draw?.drawing === drawnId)
  const media = useShot((s) => s.media)
  const laneNames = useShot((s) => namesOf(lanesBeside(s.comp, laneId)))
  const inputs = useShot((s) => inputsHere(s.comp, laneId))
  const choose = (text: string) => {
    if (!text) {
      onChange(undefined)
      return
    }
    if (text === newDrawing) {
      const { comp, set } = store.getState()
      const drawing = freshId(comp, 'drawing')
      const name = `Shapes ${comp.drawings.length + 1}`
      onChange({ from: { type: 'drawing', drawing } }, undefined, (c) => addDrawing(c, name)[0])
      set({ draw: { drawing, tool: 'pen', points: [] } })
      return
    }
    // Objects belong to the pass that they were picked from.
    connect(JSON.parse(text) as Link)
  }
  const value = link ? encode(link.from) : ''
  const options = useMemo(
    () => [
      ...inputOptions(inputs),
      ...linkOptions(kind, media, drawings, JSON.parse(laneNames) as NamedLane[], laneId),
    ],
    [kind, media, drawings, laneNames, laneId, inputs],
  )
  const choices = useMemo(
    () =>
      options.map(({ group, links }) => (
        <optgroup key={group} label={group}>
          {links.map(({ text, link: one }) => (
            <option key={encode(one)} value={encode(one)}>
              {text}
            </option>
          ))}
        </optgroup>
      )),
    [options],
  )
  const linkedPass =
    link?.from.type === 'pass'
      ? media[link.from.media]?.passes.find((p) => p.name === passOf(link.from))
      : undefined
  const idPass = linkedPass?.kind === 'ids'
  const isColour =
    link !== undefined && !idPass && drawnId === undefined && (linkedPass?.channels.length ?? 4) > 1
  const [isShaping, setIsShaping] = useState(false)
  const isInverted = useShot((s) => at !== undefined && settingNow(s, { of: 'invert', link: at }) === true)
  const isShaped = (link?.spread ?? 0) !== 0 || (link?.soft ?? 0) !== 0
  const id = useId()
  const connect = (from: Link) => {
    const next: FeedLink = { ...link, from }
    delete next.objects
    onChange(next)
  }
  const { setNodeRef, isOver } = useDroppable({
    id: `chip ${id}`,
    data: { type: 'chip', connect } satisfies Dropped,
  })
  const isKnown = options.some((g) => g.links.some((l) => encode(l.link) === value))
  return (
    <div
      ref={setNodeRef}
      className={`flex min-w-0 max-w-full flex-wrap items-center gap-1 rounded-xl border ${isOver ? 'outline-2 outline-accent' : ''} py-px pl-2.5 pr-1 text-xs ${link ? 'border-primary bg-primary/25' : 'border-base-content/20'}`}
      title={hint}
    >
      <Link2 size={12} className={link ? 'text-accent' : 'text-base-content/40'} aria-hidden />
      <span className="whitespace-nowrap">{label} ←</span>
      <select
        aria-label={`${label} feed`}
        className="min-w-0 max-w-40 cursor-pointer truncate bg-transparent py-0.5 outline-none"
        value={value}
        onChange={(e) => {
          choose(e.target.value)
        }}
      >
        <option value="">{without}</option>
        {isMatte && <option value={newDrawing}>draw shapes …</option>}
        {link && !isKnown && <option value={value}>missing</option>}
        {choices}
      </select>
      {link && isMatte && isColour && (
        <select
          aria-label={`Part of the ${label} feed`}
          className="cursor-pointer bg-transparent outline-none"
          title="Which part of it says where"
          value={link.use ?? 'alpha'}
          onChange={(e) => {
            onChange({ ...link, use: e.target.value as NonNullable<FeedLink['use']> })
          }}
        >
          {Object.entries(parts).map(([part, text]) => (
            <option key={part} value={part}>
              {text}
            </option>
          ))}
        </select>
      )}
      {link && isMatte && idPass && link.from.type === 'pass' && (
        <ObjectChoice
          media={link.from.media}
          pass={link.from.pass}
          picked={link.objects ?? []}
          onPick={(objects) => {
            onChange({ ...link, objects: [...objects] })
          }}
        />
      )}
      {gapWords && (
        <span
          className="text-warning"
          title="This frame of it is missing; what stands for it is chosen with the media, in Passes"
        >
          {gapWords}
        </span>
      )}
      {isEmptyHere && (
        <span className="text-warning" title="Nothing is drawn on this frame, so the matte is empty">
          empty here
        </span>
      )}
      {drawnId !== undefined && (
        <button
          type="button"
          className={`rounded p-0.5 ${isDrawing ? 'bg-accent text-accent-content' : 'hover:bg-base-100'}`}
          aria-pressed={isDrawing}
          aria-label={`Edit the shapes of the ${label}`}
          title="Edit the shapes on the picture"
          onClick={() => {
            store.getState().set({
              draw: isDrawing ? undefined : { drawing: drawnId, tool: 'choose', points: [] },
            })
          }}
        >
          <PenLine size={12} aria-hidden />
        </button>
      )}
      {link && isMatte && at && (
        <button
          type="button"
          className={`rounded px-1 ${isInverted ? 'bg-accent text-accent-content' : 'hover:bg-base-100'}`}
          aria-pressed={isInverted}
          title="Invert: act where the matte is not"
          onClick={() => {
            store.getState().write(`Invert the ${label}`, [[{ of: 'invert', link: at }, !isInverted]])
          }}
        >
          inv
        </button>
      )}
      {link && isMatte && at && (
        <button
          type="button"
          className={`rounded px-1 ${isShaped ? 'bg-accent text-accent-content' : 'hover:bg-base-100'}`}
          aria-expanded={isShaping}
          aria-label={`Edge of the ${label}`}
          title="Grow or shrink it, soften its edge"
          onClick={() => {
            setIsShaping(!isShaping)
          }}
        >
          edge
        </button>
      )}
      {link && (
        <button
          type="button"
          className="rounded-full p-0.5 hover:bg-base-100"
          aria-label={`Cut the ${label} feed`}
          title="Cut"
          onClick={() => {
            onChange(undefined)
          }}
        >
          <Unlink size={12} aria-hidden />
        </button>
      )}
      {link && isMatte && isShaping && at && (
        <div className="w-full min-w-64 py-1 pl-3 pr-1">
          {(['spread', 'soft', 'invert'] as const).map((of) => (
            <SettingRow
              key={of}
              of={{ of, link: at }}
              name={{ spread: 'grow', soft: 'soft edge', invert: 'invert' }[of]}
              edits={
                {
                  spread: `Grow the ${label}`,
                  soft: `Softness of the ${label}`,
                  invert: `Invert the ${label}`,
                }[of]
              }
            />
          ))}
        </div>
      )}
    </div>
  )
}

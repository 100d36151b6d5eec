import { dialLabel } from '../dials/dials.ts'
import { effectOf } from '../recipes/effect-of.ts'
import { masterId } from './edits.ts'
import { drawingsOf } from './references.ts'
import { findStep, type Comp } from './schema.ts'
import { dialAt, type LinkRef, type SettingRef } from './settings.ts'

/** What a setting is called, and where it stands. */
export interface SettingName {
  /** The lane that it belongs to; of a drawing the first that shows it. */
  readonly laneId: string
  readonly stepId?: string
  /** The lane or drawing, in words. */
  readonly where: string
  /** 'Bloom · strength'. */
  readonly name: string
}

const own = {
  on: 'on',
  amount: 'amount',
  opacity: 'opacity',
  spread: 'grow',
  soft: 'soft edge',
  invert: 'invert',
} as const

function stepName(comp: Comp, id: string): string {
  const step = findStep(comp, id)
  return step?.name ?? effectOf(step)?.title ?? id
}

/** The lane that a step stands on; the master's where it is the whole picture's. */
function laneOfStep(comp: Comp, step: string): string {
  return comp.lanes.find((l) => l.steps.some((s) => s.id === step))?.id ?? masterId
}

function linkName(comp: Comp, link: LinkRef): string {
  const also = link.also === undefined ? '' : ` ${link.also + 2}`
  return 'step' in link ? `${stepName(comp, link.step)} · ${link.feed}${also}` : `matte${also}`
}

/** The first lane that a drawing is seen or used on. */
function laneOfDrawing(comp: Comp, id: string): string {
  return comp.lanes.find((l) => drawingsOf(l).has(id))?.id ?? masterId
}

/** What a setting is called where many of them stand together. */
export function settingName(comp: Comp, ref: SettingRef): SettingName {
  const lane = (id: string) => comp.lanes.find((l) => l.id === id)?.name ?? 'Whole picture'
  const onStep = (stepId: string, name: string): SettingName => {
    const laneId = laneOfStep(comp, stepId)
    return { laneId, stepId, where: lane(laneId), name: `${stepName(comp, stepId)} · ${name}` }
  }
  switch (ref.of) {
    case 'dial':
      return onStep(ref.step, dialLabel(ref.key, dialAt(comp, ref) ?? {}).toLowerCase())
    case 'amount':
    case 'on':
      return onStep(ref.step, own[ref.of])
    case 'opacity':
      return { laneId: ref.lane, where: lane(ref.lane), name: 'Opacity' }
    case 'source':
      return { laneId: ref.lane, where: lane(ref.lane), name: `Source · ${ref.key.replace('.', ' ')}` }
    case 'spread':
    case 'soft':
    case 'invert': {
      const laneId = 'step' in ref.link ? laneOfStep(comp, ref.link.step) : ref.link.lane
      const step = 'step' in ref.link ? { stepId: ref.link.step } : {}
      return { laneId, ...step, where: lane(laneId), name: `${linkName(comp, ref.link)} · ${own[ref.of]}` }
    }
    case 'placing':
    case 'shape': {
      const drawing = comp.drawings.find((d) => d.id === ref.drawing)
      const shape =
        drawing?.time === 'keyed' && ref.of === 'shape'
          ? drawing.shapes.find((s) => s.id === ref.shape)
          : undefined
      const what = {
        about: 'about',
        move: 'moved',
        turn: 'turned',
        scale: 'scaled',
        opacity: 'opacity',
        inner: 'soft inside',
        outer: 'soft outside',
      }[ref.key]
      const name = ref.of === 'placing' ? `Drawing · ${what}` : `${shape?.name ?? 'Shape'} · ${what}`
      return { laneId: laneOfDrawing(comp, ref.drawing), where: drawing?.name ?? 'Drawing', name }
    }
  }
}

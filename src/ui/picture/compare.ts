import { masterId } from '../../core/comp/edits.ts'
import type { Comp } from '../../core/comp/schema.ts'
import type { Target } from '../../core/engine/plan/plan-targets.ts'
import { stepTitle } from '../desk/step-title.ts'
import type { ShotState, SideName } from '../shot/shot-store.ts'
import { compBefore } from '../shot/view-target.ts'

/** The sides that there are, with words for each. */
export function sidesOf(comp: Comp, other?: ShotState['otherLook']): [SideName, string][] {
  return [
    ['picture', 'the picture'],
    ...(other ? [['other', other.words] as [SideName, string]] : []),
    ['before', 'before the selected step'],
    ...comp.lanes
      .toReversed()
      .flatMap((lane): [SideName, string][] => [
        [`lane ${lane.id}`, `${lane.name} alone`],
        ...lane.steps.map((s): [SideName, string] => [
          `step ${lane.id} ${s.id}`,
          `${lane.name} after ${stepTitle(s)}`,
        ]),
      ]),
    ...comp.master.map((s): [SideName, string] => [
      `step ${masterId} ${s.id}`,
      `picture after ${stepTitle(s)}`,
    ]),
  ]
}

/** What an engine is asked for a side; undefined for a still and a render, which are pictures already. */
export function sideTarget(
  { comp, selection, otherLook }: Pick<ShotState, 'comp' | 'selection' | 'otherLook'>,
  side: SideName,
): { comp: Comp; target: Target; frame?: number } | undefined {
  const [kind, lane, step] = side.split(' ')
  switch (kind) {
    case 'before':
      return { comp: compBefore(comp, selection), target: { type: 'picture' } }
    case 'lane':
      return { comp, target: { type: 'lane', lane: lane! } }
    case 'step':
      return { comp, target: { type: 'lane', lane: lane!, after: step! } }
    case 'frame':
      return { comp, target: { type: 'picture' }, frame: Number(lane) }
    case 'other':
      return { comp: otherLook?.change(comp) ?? comp, target: { type: 'picture' } }
    case 'still':
    case 'render':
      return undefined
    default:
      return { comp, target: { type: 'picture' } }
  }
}

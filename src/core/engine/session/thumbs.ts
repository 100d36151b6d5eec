import { Cancelled } from '../../cancelled.ts'
import { masterId } from '../../comp/edits.ts'
import { mattesOf } from '../../comp/references.ts'
import type { Comp } from '../../comp/schema.ts'
import { effectOf } from '../../recipes/effect-of.ts'
import { workingSpace, type WorkingSpace } from '../../colour/working.ts'
import type { Picture } from '../../picture/picture.ts'
import { cropToCanvas } from '../crop.ts'
import { planAll, planJoins, planViewTable } from '../plan/plan.ts'
import type { PlanNode } from '../plan/plan-node.ts'
import type { Target } from '../plan/plan-targets.ts'
import { smallSize } from './charts.ts'
import { settled } from '../readings.ts'
import { shrink, smallToCodes } from '../shrink.ts'
import { lookedSmall } from '../viewed.ts'
import { smallCodes } from './show.ts'
import { matteKey, type Thumb } from './requests.ts'
import type { Handler } from './session-state.ts'

function meanLuminance({ data }: Picture, { luminance }: WorkingSpace): number {
  let sum = 0
  for (let i = 0; i < data.length; i += 4) sum += luminance(data[i]!, data[i + 1]!, data[i + 2]!)
  return (4 * sum) / data.length
}

/** Stops between two mean luminances; what lights up the dark counts as 10. */
function addedStops(below: number, withLane: number): number {
  if (!(withLane > 0)) return below > 0 ? -10 : 0
  return below > 0 ? Math.min(10, Math.max(-10, Math.log2(withLane / below))) : 10
}

/** Every place on the desk that has a small picture. */
function placesOf(comp: Comp): { key: string; target: Target }[] {
  const along = (lane: string, key: string, steps: readonly { id: string }[]) => [
    { key, target: { type: 'lane', lane, after: 'source' } as const },
    ...steps.map(({ id }) => ({ key: id, target: { type: 'lane', lane, after: id } as const })),
  ]
  return [
    ...comp.lanes.flatMap((lane) => along(lane.id, `lane:${lane.id}`, lane.steps)),
    ...along(masterId, 'joined', comp.master),
    ...mattesOf(comp).map(({ lane, step }) => ({
      key: matteKey(lane, step),
      target: { type: 'matte', lane, ...(step === undefined ? {} : { step }) } as const,
    })),
  ]
}

/** Small pictures of the desk that are not on the page yet, and its meters. */
export const thumbs: Handler<'thumbs'> = async (session, { comp, media }, { frame, width }, isStale) => {
  const { evaluator, measured, readings } = session
  const reduction = smallSize(comp)
  const space = workingSpace(comp.space)
  const points = placesOf(comp)
  const targets = points.map((p) => p.target)
  const make = () => {
    const all = planAll(comp, media, frame, reduction, targets, readings)
    return { all, needs: all[0]?.needs ?? [] }
  }
  const { all: planned } = await settled(evaluator, readings, comp, make, isStale)
  const made: Thumb[] = []
  // What they look like hangs on the view, too.
  const table = planViewTable(comp, media, frame)
  const looked = JSON.stringify([lookedSmall(comp), table?.node.key])
  const means = new Map<string, number>()
  const shown = new Map<string, string>()
  const known = new Map<string, number>()
  const picture = async (node: PlanNode) => {
    if (isStale()) throw new Cancelled()
    await evaluator.load(comp, node, isStale)
    return evaluator.evaluate(node, isStale)
  }
  /** What was measured for the thumbnails before is not measured again. */
  const meanOf = (node: PlanNode, whole: Picture | undefined) => {
    const mean = measured.means.get(node.key) ?? (whole && meanLuminance(whole, space))
    if (mean !== undefined) known.set(node.key, mean)
    return mean
  }
  for (const [i, { node, area }] of planned.entries()) {
    const { key } = points[i]!
    const seen = node.key + looked
    shown.set(key, seen)
    const isSame = measured.thumbs.get(key) === seen
    const whole = isSame ? undefined : await picture(node)
    const mean = whole?.channels === 1 ? undefined : meanOf(node, whole)
    if (mean !== undefined) means.set(key, mean)
    if (!whole) continue
    const small = shrink(cropToCanvas(whole, area), width)
    // A matte is black where nothing is covered.
    const pixels =
      whole.channels === 1
        ? smallToCodes(small, 0, undefined)
        : await smallCodes(session, small, { comp, media }, frame)
    made.push({ key, width: small.width, height: small.height, pixels })
  }
  const meters: (readonly [string, number])[] = []
  const chains = [
    ...comp.lanes.map((l) => [`lane:${l.id}`, l.steps] as const),
    ['joined', comp.master] as const,
  ]
  for (const [source, steps] of chains)
    for (const [i, step] of steps.entries())
      if (effectOf(step)?.kind === 'light') {
        const before = means.get(steps[i - 1]?.id ?? source) ?? 0
        meters.push([step.id, addedStops(before, means.get(step.id) ?? 0)])
      }
  for (const [i, joins] of planJoins(comp, media, frame, reduction, readings).entries()) {
    const both: number[] = []
    for (const node of joins) both.push(meanOf(node, undefined) ?? meanOf(node, await picture(node))!)
    meters.push([comp.lanes[i]!.id, addedStops(both[0]!, both[1]!)])
  }
  session.measured = { thumbs: shown, means: known }
  return { thumbs: made, meters: Object.fromEntries(meters) }
}

import { assertNever } from '../../assert.ts'
import { masterId } from '../../comp/edits.ts'
import { matteOfStep } from '../../comp/references.ts'
import { caughtBy, type CatchValues } from '../../effects/catch-light.ts'
import { effectOf } from '../../recipes/effect-of.ts'
import { laneOf, masterPoint } from './plan-joins.ts'
import { mattePart, matteOf } from './plan-mattes.ts'
import { node, type PlanNode } from './plan-node.ts'
import { nothing, objectsNode, passNode } from './plan-passes.ts'
import { colourOf } from './plan-sources.ts'
import { dialsOf } from './plan-dials.ts'
import { feedOf, lightRoles, stepNode, withinMatte } from './plan-steps.ts'
import type { Planning } from './planning.ts'

/** What to compute: the whole picture, a lane's own picture at a point of it, or the light a step gives. */
export type Target =
  | { readonly type: 'picture' }
  | { readonly type: 'lane'; readonly lane: string; readonly after?: string }
  | { readonly type: 'light'; readonly step: string }
  /** Where a step acts, or a lane joins: its matte. */
  | { readonly type: 'matte'; readonly lane: string; readonly step?: string }
  /** What a step takes its light from: its light feed, or the picture that comes to it. */
  | { readonly type: 'light-input'; readonly step: string }
  /** A feed of a step as it comes in. */
  | { readonly type: 'feed'; readonly step: string; readonly feed: string }
  /** How much of the light that comes to a step passes its threshold: one channel, 0–1. */
  | { readonly type: 'caught'; readonly step: string }
  /** A pass as it came in. */
  | {
      readonly type: 'pass'
      readonly media: string
      readonly pass: string
      /** Of an ID pass: the coverage of these objects. */
      readonly objects?: readonly string[]
    }

/** What a step takes its light from. */
export function lightInput(p: Planning, stepId: string): PlanNode {
  const found = p.stepInput(stepId)
  if (!found) return nothing(p)
  const effect = effectOf(found.step)
  const roles = effect ? lightRoles(effect) : {}
  const fed = (name: string | undefined) => (name === undefined ? undefined : found.step.feeds[name])
  const [light, part] = [fed(roles.light), fed(roles.part)]
  const whole = (light && colourOf(p, light.from, found.laneId, stepId)) ?? found.picture
  const matte = part && matteOf(p, part, found.laneId, stepId)
  return matte ? withinMatte(p, whole, matte) : whole
}

export function caughtNode(p: Planning, stepId: string): PlanNode {
  const step = p.stepInput(stepId)?.step
  const effect = effectOf(step)
  if (!step || !effect || !('threshold' in effect.dials)) return nothing(p)
  const caught = caughtBy(dialsOf(p, step, effect) as unknown as CatchValues)
  return node(`caught ${JSON.stringify(caught)}`, [lightInput(p, stepId)], ([src], { kernels, store }) => {
    const bright = store.allocate(src!.width, src!.height, 4)
    kernels.brightPass(bright, src!, caught)
    const out = store.allocate(src!.width, src!.height, 1)
    for (let i = 0; i < out.data.length; i++) {
      const [r, g, b] = [src!.data[i * 4]!, src!.data[i * 4 + 1]!, src!.data[i * 4 + 2]!]
      const all = Math.max(r, g, b)
      const passed = Math.max(bright.data[i * 4]!, bright.data[i * 4 + 1]!, bright.data[i * 4 + 2]!)
      // Little that passes is marked too: what counts is that it does.
      out.data[i] = all > 0 ? Math.sqrt(passed / all) : 0
    }
    return out
  })
}

/** Where a step acts or a lane joins; of what is itself a matte, that. Undefined: everywhere. */
export function whereNode(p: Planning, laneId: string, stepId: string | undefined): PlanNode | undefined {
  const found = stepId === undefined ? undefined : p.stepInput(stepId)
  const lane = laneOf(p, laneId)
  const link = found ? matteOfStep(found.step) : lane?.join.matte
  if (link) return matteOf(p, link, laneId, stepId)
  const isMatte = found ? effectOf(found.step)?.family === 'matte' : lane?.kind === 'matte'
  if (!isMatte) return undefined
  const own = found ? stepNode(p, found.step, found.picture, laneId).after : p.lanePoint(lane!)
  return mattePart(p, own, 'alpha', false)
}

/** The picture of a target. */
export function targetNode(p: Planning, target: Target): PlanNode {
  switch (target.type) {
    case 'picture':
      return masterPoint(p)
    case 'lane': {
      const lane = p.comp.lanes.find((l) => l.id === target.lane)
      if (target.lane === masterId) return masterPoint(p, target.after)
      return lane ? p.lanePoint(lane, target.after) : nothing(p)
    }
    case 'light': {
      const found = p.stepInput(target.step)
      return (found && stepNode(p, found.step, found.picture, found.laneId).light) ?? nothing(p)
    }
    case 'matte': {
      return whereNode(p, target.lane, target.step) ?? nothing(p)
    }
    case 'pass':
      return (
        (target.objects ? objectsNode(p, target, target.objects, '') : passNode(p, target, '')?.node) ??
        nothing(p)
      )
    case 'light-input':
      return lightInput(p, target.step)
    case 'feed': {
      const found = p.stepInput(target.step)
      const link = found?.step.feeds[target.feed]
      const kind = found && effectOf(found.step)?.feeds[target.feed]?.kind
      return (link && feedOf(p, link, kind ?? 'light', found.laneId, target.step)) ?? nothing(p)
    }
    case 'caught':
      return caughtNode(p, target.step)
    default:
      return assertNever(target)
  }
}

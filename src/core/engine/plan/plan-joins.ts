import { ownDials } from '../../comp/own-dials.ts'
import { masterId } from '../../comp/edits.ts'
import type { Lane } from '../../comp/schema.ts'
import { stepAround } from '../../recipes/expand.ts'
import { matteOf } from './plan-mattes.ts'
import { node, type PlanNode } from './plan-node.ts'
import { nothing } from './plan-passes.ts'
import { sourceNode } from './plan-sources.ts'
import { stepNode } from './plan-steps.ts'
import type { Planning } from './planning.ts'

export function laneOf(p: Planning, id: string | undefined): Lane | undefined {
  return id === undefined ? undefined : p.comp.lanes.find((l) => l.id === id)
}

/** Whether a lane is in the picture while some are solo: it, a bus around it or something in it is. */
export function isHeard(p: Planning, lane: Lane): boolean {
  const part = stepAround(p.comp, lane.id)
  const solos = p.comp.lanes.filter(
    (l) => l.solo && l.kind === 'picture' && stepAround(p.comp, l.id) === part,
  )
  if (solos.length === 0) return true
  const isAround = (outer: Lane, inner: Lane | undefined): boolean =>
    inner !== undefined && (inner === outer || isAround(outer, laneOf(p, inner.in)))
  return solos.some((solo) => isAround(solo, lane) || isAround(lane, solo))
}

/** The place of a point among those of a lane: 0 is its source, its last its end. */
export function pointIndex(lane: Lane, after: string | undefined): number {
  if (after === undefined) return lane.steps.length
  if (after === 'source') return 0
  const index = lane.steps.findIndex((s) => s.id === after)
  return index < 0 ? lane.steps.length : index + 1
}

/** Points of a lane one after the other, from the last that is `known` to the one of the index; each is remembered. */
export function planPoints(
  p: Planning,
  lane: Lane,
  index: number,
  known: (i: number) => PlanNode | undefined,
  remember: (i: number, point: PlanNode) => void,
): PlanNode {
  let from = index
  let picture = known(from)
  while (from > 0 && !picture) picture = known(--from)
  if (!picture) {
    picture = sourceNode(p, lane.source, lane.id)
    remember(0, picture)
  }
  for (let i = from; i < index; i++) {
    picture = stepNode(p, lane.steps[i]!, picture, lane.id).after
    remember(i + 1, picture)
  }
  return picture
}

/**
 * Lanes joined from the back to the front: those of a bus, or those of the picture; at most the first `upTo` of them. A solo
 * lane is joined alone with others that are, and with it the buses around it and all that is in it.
 */
export function joined(p: Planning, bus?: string, upTo = Infinity): PlanNode {
  const here = p.comp.lanes.filter((l) => l.in === bus)
  let below: PlanNode | undefined
  for (const lane of here.slice(0, upTo)) {
    if (lane.kind === 'matte' || lane.muted || !isHeard(p, lane)) continue
    if (p.isOpen(lane.id)) {
      p.report(lane.id, undefined, `${p.loopWords(lane.id)} Cut one of these links.`)
      continue
    }
    const top = p.lanePoint(lane)
    const opacity = p.value(lane.join.opacity, ownDials.opacity, { laneId: lane.id }) as number
    const matte = lane.join.matte && matteOf(p, lane.join.matte, lane.id)
    const { mode } = lane.join
    below ??= nothing(p)
    below = node(
      `join ${mode} ${opacity}`,
      matte ? [below, top, matte] : [below, top],
      ([b, t, m], { kernels, store }) => {
        const out = store.allocate(b!.width, b!.height, 4)
        kernels.join(out, b!, t!, m, mode, opacity)
        return out
      },
    )
  }
  return below ?? nothing(p)
}

/**
 * What the lanes of a step give. One that is joined plainly is its own picture, with nothing between, so that it is the very same as if its steps stood
 * in place of that step.
 */
export function inside(p: Planning, stepId: string): PlanNode {
  const here = p.comp.lanes.filter((l) => l.in === stepId && l.kind !== 'matte' && !l.muted && isHeard(p, l))
  const [only] = here
  return here.length === 1 && isPlain(only!) ? p.lanePoint(only!) : p.joined(stepId)
}

/** Whether a lane that is joined alone stays as it is. */
export const isPlain = ({ join }: Lane): boolean =>
  join.mode === 'over' && join.opacity === 1 && join.matte === undefined

/** The finished picture, or the master's picture after one of its steps. */
export function masterPoint(p: Planning, after?: string): PlanNode {
  return p.lanePoint(masterLane(p), after)
}

/** The master as a lane: what is joined, then its steps. */
export const masterLane = ({ comp }: Pick<Planning, 'comp'>): Lane => ({
  id: masterId,
  name: 'Whole picture',
  kind: 'picture',
  source: { type: 'lanes' },
  steps: comp.master,
  join: { mode: 'over', opacity: 1 },
  muted: false,
  solo: false,
  locked: false,
})

import type { FeedLink, MatteLink } from '../../comp/schema.ts'
import { ownDials } from '../../comp/own-dials.ts'
import { edgeRange, type MatteUse } from '../../kernels/kernels.ts'
import { pictureChannels } from '../place-pass.ts'
import { node, type PlanNode } from './plan-node.ts'
import { objectsNode, passNode } from './plan-passes.ts'
import { drawingNode, tapNode } from './plan-sources.ts'
import type { Planning } from './planning.ts'

/** A matte with what is joined to it in turn: the greater, the product, or what the further one leaves. */
export function matteOf(p: Planning, link: MatteLink, laneId: string, stepId?: string): PlanNode | undefined {
  let whole = singleMatte(p, link, laneId, stepId)
  for (const more of link.also ?? []) {
    const next = singleMatte(p, more, laneId, stepId)
    if (!whole || !next) return undefined
    const { by } = more
    whole = node(`matte ${by}`, [whole, next], ([a, b], { kernels, store }) => {
      const out = store.allocate(a!.width, a!.height, 1)
      kernels.combineMattes(out, a!, b!, by)
      return out
    })
  }
  return whole
}

export function singleMatte(
  p: Planning,
  feed: FeedLink,
  laneId: string,
  stepId?: string,
): PlanNode | undefined {
  const { from } = feed
  const objects =
    from.type === 'pass' && feed.objects ? objectsNode(p, from, feed.objects, laneId, stepId) : undefined
  const single = from.type === 'pass' && !objects ? passNode(p, from, laneId, stepId) : undefined
  const drawn = from.type === 'drawing' ? drawingNode(p, from, laneId, stepId) : undefined
  const tapped = from.type === 'tap' ? tapNode(p, from, laneId, stepId) : undefined
  const source = objects ?? single?.node ?? drawn ?? tapped
  if (!source) return undefined
  const isSingle =
    objects !== undefined ||
    drawn !== undefined ||
    (single !== undefined && pictureChannels(single.pass) === 1)
  const use: MatteUse = isSingle ? 'single' : (feed.use ?? 'alpha')
  const by = { laneId, stepId }
  const invert = p.value(feed.invert ?? false, ownDials.invert, by) as boolean
  const [spread, soft] = [
    p.value(feed.spread ?? 0, ownDials.spread, by) as number,
    p.value(feed.soft ?? 0, ownDials.soft, by) as number,
  ]
  return shapedMatte(p, mattePart(p, source, use, invert), spread / p.reduction, soft / p.reduction)
}

/** A part of a picture as a matte. */
export function mattePart(p: Planning, source: PlanNode, use: MatteUse, invert: boolean): PlanNode {
  return node(`matte ${use} ${invert}`, [source], ([src], { kernels, store }) => {
    const out = store.allocate(src!.width, src!.height, 1)
    kernels.matteOf(out, src!, use, invert)
    return out
  })
}

/** A matte that is grown or shrunk, with an edge of its own; how far its pixels are from the edge is kept for the next values. */
export function shapedMatte(p: Planning, matte: PlanNode, spread: number, soft: number): PlanNode {
  if (spread === 0 && soft <= 1) return matte
  const width = Math.max(1, soft)
  // As far as the next power of two, so that values near by find it made already.
  const far = (v: number) => (v > -0.5 ? 2 ** Math.ceil(Math.log2(Math.max(8, v))) : -1)
  const [from, to] = edgeRange(spread, width)
  const within = [-far(-from), far(to)] as const
  const distance = node(`distance ${within.join(' ')}`, [matte], ([src], { kernels, store }) => {
    const out = store.allocate(src!.width, src!.height, 1)
    kernels.distance(out, src!, within)
    return out
  })
  return node(`edge ${spread} ${soft}`, [distance], ([src], { kernels, store }) => {
    const out = store.allocate(src!.width, src!.height, 1)
    kernels.edge(out, src!, spread, width)
    return out
  })
}

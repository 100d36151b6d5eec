import { frameOfMedia } from '../../comp/lane-time.ts'
import { fileAt, framesOfPass, readAsKey, readAsOf, type Pass } from '../../comp/media.ts'
import type { Link } from '../../comp/schema.ts'
import { renormalise } from '../../formats/reduce-pass.ts'
import { passFilter, rulesOf } from '../../passes/passes.ts'
import { meanReduce, pickNearest } from '../matte.ts'
import { pictureChannels } from '../place-pass.ts'
import { areaKey } from '../work-area.ts'
import { loaded, node, type PassRef, type PlanNode } from './plan-node.ts'
import type { Planning } from './planning.ts'

export function flat(p: Planning, r: number, g: number, b: number, a: number): PlanNode {
  const { width, height } = p.area
  return node(`flat ${r} ${g} ${b} ${a} ${width}x${height}`, [], (_, { kernels, store }) => {
    const out = store.allocate(width, height, 4)
    kernels.fill(out, r, g, b, a)
    return out
  })
}

export function nothing(p: Planning): PlanNode {
  return flat(p, 0, 0, 0, 0)
}

/** What a pass is on a frame that it leaves black: nothing, infinitely far away. */
export function gapNode(p: Planning, pass: Pass): PlanNode {
  if (pictureChannels(pass) === 4) return nothing(p)
  const { width, height } = p.area
  const value = rulesOf(pass.kind).outside ?? 0
  return node(`gap ${value} ${width}x${height}`, [], (_, { store }) => {
    const out = store.allocate(width, height, 1)
    out.data.fill(value)
    return out
  })
}

/** How a lane shows its media in time. */
const timeOfLane = (p: Planning, laneId: string) => p.comp.lanes.find((l) => l.id === laneId)?.time

/** What says that only a part of a pass is wanted. */
const ofPart = (p: Planning) => (p.part ? { part: p.part.rect } : {})

export function passNode(
  p: Planning,
  link: Link & { type: 'pass' },
  laneId: string,
  stepId?: string,
): { node: PlanNode; pass: Pass } | undefined {
  const media = p.media[link.media]
  const pass = media?.passes.find((p) => p.name === link.pass)
  const shown = media && frameOfMedia(timeOfLane(p, laneId), p.mediaFrame, media, pass)
  if (media && pass && shown === undefined) return { node: gapNode(p, pass), pass }
  const hash = media && fileAt(media, shown!, pass)
  const isGap = hash === undefined && media && pass && Object.keys(framesOfPass(media, pass)).length > 0
  if (isGap) return { node: gapNode(p, pass), pass }
  if (!media || !pass || !hash) {
    const what = !media
      ? `the media ${link.media} is`
      : !pass
        ? `${media.name} has no pass named ${link.pass}; it is`
        : `${media.name} has no frames; the picture is`
    p.report(
      laneId,
      stepId,
      `${what.charAt(0).toUpperCase()}${what.slice(1)} missing. Choose another source.`,
    )
    return undefined
  }
  const own = readAsOf(media, pass)
  const as = own.isData || p.comp.space === undefined ? own : { ...own, into: p.comp.space }
  const name = `pass ${hash} ${pass.inFile ?? pass.name} ${pass.kind} ${readAsKey(as)} ${JSON.stringify(pass.detail ?? {})} ${areaKey(p.full)}`
  const whole = loaded(name, { hash, pass, as, reduction: 1, ...ofPart(p) })
  if (p.reduction === 1) return { node: whole, pass }
  return { node: reducedNode(p, whole, pass, { hash, pass, as, reduction: p.reduction }), pass }
}

/** A picture of the full frame at this plan's size, made smaller as its kind wants it. */
export function reducedNode(p: Planning, whole: PlanNode, pass: Pass, load?: PassRef): PlanNode {
  const channels = pictureChannels(pass)
  const { width: w, height: h } = p.area
  const factor = p.reduction
  const filter = passFilter(pass)
  return node(
    `reduce ${factor} ${filter}`,
    [whole],
    ([src], { kernels, store }) => {
      const out = store.allocate(w, h, channels)
      if (filter === 'pick') pickNearest(out, src!, factor)
      else if (channels === 1) meanReduce(out, src!, factor)
      else kernels.boxReduce(out, src!, factor)
      if (filter === 'normal' || filter === 'packed') renormalise(out.data, 4, false)
      return out
    },
    load ? { load } : {},
  )
}

/** The coverage of chosen objects. */
export function objectsNode(
  p: Planning,
  link: Link & { type: 'pass' },
  ids: readonly string[],
  laneId: string,
  stepId?: string,
): PlanNode | undefined {
  const found = passNode(p, link, laneId, stepId)
  const media = p.media[link.media]
  const shown = found && media && frameOfMedia(timeOfLane(p, laneId), p.mediaFrame, media, found.pass)
  const hash = found && media && shown !== undefined ? fileAt(media, shown, found.pass) : undefined
  if (!found) return undefined
  const asMatte: Pass = { ...found.pass, kind: 'matte', channels: found.pass.channels.slice(0, 1) }
  if (!hash) return gapNode(p, asMatte)
  const name = `objects ${hash} ${found.pass.inFile ?? found.pass.name} ${ids.toSorted().join(',')} ${areaKey(p.full)}`
  const whole = loaded(name, {
    hash,
    pass: found.pass,
    as: { isData: true },
    reduction: 1,
    objects: ids,
    ...ofPart(p),
  })
  if (p.reduction === 1) return whole
  // Plain IDs find their edges among their neighbours, at full size.
  const isRanked = found.pass.detail?.masks === 'ranked'
  const small: PassRef = {
    hash,
    pass: found.pass,
    as: { isData: true },
    reduction: p.reduction,
    filter: 'ranks',
    objects: ids,
  }
  return reducedNode(p, whole, asMatte, isRanked ? small : undefined)
}

/** The entries of a colour table. */
export function tableNode(p: Planning, link: Link, laneId: string, stepId?: string): PlanNode | undefined {
  const pass = passBehind(p, link)
  const hash = link.type === 'pass' && pass && fileAt(p.media[link.media]!, p.mediaFrame, pass)
  if (!hash || pass.kind !== 'table') {
    p.report(
      laneId,
      stepId,
      'Its table is missing, or no table. Bring in a .cube or .clf file and choose it.',
    )
    return undefined
  }
  const load: PassRef = { hash, pass, as: { isData: true }, reduction: 1, isTable: true }
  return loaded(`table ${hash}`, load)
}

export function passBehind(p: Planning, link: Link): Pass | undefined {
  return link.type === 'pass' ? p.media[link.media]?.passes.find((p) => p.name === link.pass) : undefined
}

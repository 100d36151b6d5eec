import type { MatteLink, Step } from '../../comp/schema.ts'
import { masterId } from '../../comp/edits.ts'
import { ownDials } from '../../comp/own-dials.ts'
import type { Effect } from '../../effects/effect.ts'
import { effectOf } from '../../recipes/effect-of.ts'
import { largestSmaller, reductionsOf, workArea, type Part, type Reduction, type Seen } from '../work-area.ts'
import { dialsOf } from './plan-dials.ts'
import { node, type PlanNode } from './plan-node.ts'
import type { Planning } from './planning.ts'

// A part of the frame at full size. Steps that look around themselves a little are made on the part and as much around it as they need. What takes
// its picture from anywhere is made whole and cut. Light, which is a sum over all that gives it, is made apart: that of what lies in the part and
// near it at full size, that of all else on a smaller picture. What is placed elsewhere comes from the whole picture before it.

/** Light that is given within so many pixels of the part is made at full size. */
const nearPx = 64
/** Light that comes from farther is made apart, and another step that looks farther whole. */
const [mostReachOfLight, mostReach] = [128, 320]
/** With more than this around it a part is no use. */
const mostMargin = 512
/** Parts begin and end at multiples of so many pixels, so that pictures halved and reduced have the pixels that they have of the whole. */
const grid = 32
/** A part of more than this share of the frame is made as the whole. */
const mostShare = 0.7
/** Light from far away is first made at the size whose longer side has at least so many pixels. */
const farSide = 400

export type Treatment = 'here' | 'apart' | 'placed' | 'whole'

/** How a step is made where only a part of the frame is. */
export function treatmentOf(p: Planning, step: Step, effect: Effect, laneId: string): Treatment {
  if (effect.affine) return 'placed'
  const reach = effect.reach?.(dialsOf(p, step, effect, laneId) as never)
  const givesLight = effect.kind === 'light' && Object.values(effect.feeds).some((f) => f.role === 'light')
  if (reach !== undefined && reach <= (givesLight ? mostReachOfLight : mostReach)) return 'here'
  return givesLight ? 'apart' : 'whole'
}

/** The size at which light from far away is made. */
export function farReduction(p: Pick<Planning, 'comp'>, { isFine = false }: Pick<Seen, 'isFine'>): Reduction {
  if (isFine) return largestSmaller(p.comp)
  const { width, height } = p.comp.canvas
  return reductionsOf(p.comp).findLast((r) => Math.max(width, height) / r >= farSide) ?? 2
}

/** How far from its pixels a matte's edge may come to lie. */
function matteReach(p: Planning, link: MatteLink | undefined): number {
  if (!link) return 0
  return [link, ...(link.also ?? [])].reduce((sum, { spread, soft }) => {
    const grown = p.value(spread ?? 0, ownDials.spread) as number
    return sum + Math.abs(grown) + (p.value(soft ?? 0, ownDials.soft) as number)
  }, 2)
}

/** The part of the whole frame's area to be made for what is seen of the canvas; undefined where it is no use. `p` plans the whole frame at full size. */
export function partFor(p: Planning, seen: Part): Part | undefined {
  let [around, givesLight] = [2, false]
  const lanes = [...p.comp.lanes, { id: masterId, steps: p.comp.master, join: undefined }]
  for (const { id, steps, join } of lanes) {
    around += matteReach(p, join?.matte)
    for (const step of steps) {
      const effect = effectOf(step)
      if (!effect || p.value(step.on, ownDials.on) === false) continue
      around += matteReach(p, step.matte)
      for (const link of Object.values(step.feeds)) around += matteReach(p, link)
      if (step.recipe) continue
      const how = treatmentOf(p, step, effect, id)
      if (how === 'here') around += effect.reach!(dialsOf(p, step, effect, id) as never)!
      else if (how === 'apart') givesLight = true
    }
  }
  if (around > mostMargin) return undefined
  if (givesLight) around += nearPx
  const { width, height, left, top } = workArea(p.comp, 1)
  const from = (v: number) => Math.max(0, Math.floor((v - around) / grid) * grid)
  const to = (v: number, side: number) => Math.min(side, Math.ceil((v + around) / grid) * grid)
  const [x, y] = [from(seen.x + left), from(seen.y + top)]
  const right = to(seen.x + seen.width + left, width)
  const bottom = to(seen.y + seen.height + top, height)
  if (right <= x || bottom <= y || (right - x) * (bottom - y) > mostShare * width * height) return undefined
  return { x, y, width: right - x, height: bottom - y }
}

/** The part of a picture of the whole frame. */
export function cutNode(p: Planning, whole: PlanNode): PlanNode {
  const { x, y, width, height } = p.part!.rect
  return node(`cut ${x} ${y} ${width}x${height}`, [whole], ([src], { store }) => {
    const { channels } = src!
    const out = store.allocate(width, height, channels)
    for (let row = 0; row < height; row++) {
      const from = ((row + y) * src!.width + x) * channels
      out.data.set(src!.data.subarray(from, from + width * channels), row * width * channels)
    }
    return out
  })
}

/** A picture without what lies in a part of the full-size frame, at the size of `p`. */
export function withoutPart(p: Planning, light: PlanNode, part: Part): PlanNode {
  const [x0, y0] = [part.x / p.reduction, part.y / p.reduction]
  const x1 = Math.ceil((part.x + part.width) / p.reduction)
  const y1 = Math.ceil((part.y + part.height) / p.reduction)
  return node(`without ${x0} ${y0} ${x1} ${y1}`, [light], ([src], { store }) => {
    const { width, height, channels } = src!
    const out = store.allocate(width, height, channels)
    out.data.set(src!.data)
    const right = Math.min(width, x1)
    for (let y = y0; y < Math.min(height, y1); y++)
      out.data.fill(0, (y * width + x0) * channels, (y * width + right) * channels)
    return out
  })
}

/** Light of the part with that of all else, which was made on a smaller picture of the whole frame. */
export function withFar(p: Planning, near: PlanNode, far: PlanNode): PlanNode {
  const { rect, far: whole } = p.part!
  const by = 1 / whole.reduction
  const enlarged = node(
    `enlarged ${rect.x} ${rect.y} ${rect.width}x${rect.height} /${whole.reduction}`,
    [far],
    ([src], { kernels, store }) => {
      const out = store.allocate(rect.width, rect.height, 4)
      kernels.resample(out, src!, [by, 0, rect.x * by, 0, by, rect.y * by], 'bilinear')
      return out
    },
  )
  return node('near and far', [near, enlarged], ([a, b], { kernels, store }) => {
    const out = store.allocate(rect.width, rect.height, 4)
    kernels.addWeighted(out, a, b!, [1, 1, 1, 1])
    return out
  })
}

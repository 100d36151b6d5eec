import type { Step } from '../../comp/schema.ts'
import type { Effect } from '../../effects/effect.ts'
import type { ResampleFilter } from '../../kernels/kernels.ts'
import { chained, inverse, unmoved, type Affine } from '../../picture/affine.ts'
import { linearChain, type LinearColour } from '../../picture/colour.ts'
import { dialsOf } from './plan-dials.ts'
import { node, type PlanNode } from './plan-node.ts'
import type { Planning } from './planning.ts'

/** A picture through a colour matrix; through one before already, both are one pass over memory. */
export function colouredNode(p: Planning, linear: LinearColour, picture: PlanNode, stepId: string): PlanNode {
  const before = picture.coloured
  const from = before?.from ?? picture
  const { matrix: whole, alpha: cover } = before ? linearChain(before, linear) : linear
  return node(
    `linear ${whole.join(' ')} ${cover}`,
    [from],
    ([src], { kernels, store }) => {
      const out = store.allocate(src!.width, src!.height, 4)
      kernels.colourMatrix(out, src!, whole, cover)
      return out
    },
    { stepId, coloured: { from, matrix: whole, alpha: cover } },
  )
}

/** A picture placed elsewhere; placed before already, it is resampled once for both. */
export function placedNode(
  p: Planning,
  { matrix, filter }: { matrix: Affine; filter: ResampleFilter },
  picture: PlanNode,
  stepId: string,
): PlanNode {
  const { from, matrix: before } = picture.placed ?? { from: picture, matrix: unmoved }
  const whole = chained(before, matrix)
  const back = inverse(whole)
  return node(
    `place ${whole.join(' ')} ${filter}`,
    [from],
    ([src], { kernels, store }) => {
      const out = store.allocate(src!.width, src!.height, 4)
      if (back) kernels.resample(out, src!, back, filter)
      else kernels.fill(out, 0, 0, 0, 0)
      return out
    },
    { stepId, placed: { from, matrix: whole } },
  )
}

/** A part of a picture that is placed elsewhere: what comes to the step is needed whole, what it gives is made for the part alone. */
export function placedPart(p: Planning, step: Step, effect: Effect, laneId: string): PlanNode | undefined {
  const { whole, rect } = p.part!
  const there = whole.stepInput(step.id)
  if (!there) return undefined
  const placing = effect.affine!(dialsOf(whole, step, effect, laneId) as never)
  const { from, matrix } = placedNode(whole, placing, there.picture, step.id).placed!
  const back = inverse(matrix)
  return node(
    `place ${matrix.join(' ')} ${placing.filter} for ${rect.x} ${rect.y} ${rect.width}x${rect.height}`,
    [from],
    ([src], { kernels, store }) => {
      const out = store.allocate(rect.width, rect.height, 4)
      if (back) kernels.resample(out, src!, chained([1, 0, rect.x, 0, 1, rect.y], back), placing.filter)
      else kernels.fill(out, 0, 0, 0, 0)
      return out
    },
    { stepId: step.id },
  )
}

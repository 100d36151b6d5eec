import { rec709, workingSpace, type WorkingSpace } from '../../colour/working.ts'
import type { Comp } from '../../comp/schema.ts'
import { keyOf, type PlanNode } from './plan-node.ts'

const made = new WeakMap<WorkingSpace, WeakMap<PlanNode, PlanNode>>()

/**
 * A planned picture as it is in a working space: the kernels that it and all it builds on are computed with ask that space for luminance and
 * hue, and its key says so. In linear Rec.709 it stays what it is.
 */
export function nodeInSpace(node: PlanNode, space: WorkingSpace): PlanNode {
  if (space === rec709) return node
  const known = made.get(space) ?? new WeakMap<PlanNode, PlanNode>()
  made.set(space, known)
  const visit = (one: PlanNode): PlanNode => {
    const found = known.get(one)
    if (found) return found
    const own: PlanNode = {
      ...one,
      key: keyOf(`${space.name} ${one.key}`),
      inputs: one.inputs.map(visit),
      make: (inputs, workshop) => one.make(inputs, { ...workshop, kernels: workshop.kernels.inSpace(space) }),
    }
    known.set(one, own)
    return own
  }
  return visit(node)
}

/** The same for the space of a comp. */
export const inSpaceOf = (comp: Pick<Comp, 'space'>, node: PlanNode): PlanNode =>
  nodeInSpace(node, workingSpace(comp.space))

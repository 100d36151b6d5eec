import { reducePass } from '../formats/reduce-pass.ts'
import type { PassBlock } from '../formats/pass-block.ts'
import type { PassFilter } from '../passes/pass-kind.ts'
import { passFilter } from '../passes/passes.ts'
import type { PassRef } from './plan/plan-node.ts'

/** A pass at a size at which it is kept; an eighth only of huge frames. */
export interface StoredPassRef extends PassRef {
  readonly reduction: 1 | 2 | 4 | 8
}

/** A kept pass made smaller still. Where the frame has an odd size its last cells are the mean of the pixels that they have. */
export const smallerBlock = (block: PassBlock, filter: PassFilter, factor: 2 | 4): PassBlock =>
  reducePass(block, filter, factor, { width: block.x + block.width, height: block.y + block.height })

/** Passes at every size out of those that are kept: smaller ones are made from the smallest of them, as that is from the whole. */
export const withSmallSizes =
  (load: (ref: StoredPassRef, signal?: AbortSignal) => Promise<PassBlock>) =>
  async (ref: PassRef, signal?: AbortSignal): Promise<PassBlock> => {
    const { reduction, pass, isHuge, filter = passFilter(pass) } = ref
    const smallest = isHuge ? 8 : 4
    if (reduction === 1 || reduction === 2 || reduction === 4 || reduction === smallest)
      return load({ ...ref, reduction }, signal)
    const kept = await load({ ...ref, reduction: smallest }, signal)
    const factor = reduction / smallest
    if (factor === 2) return smallerBlock(kept, filter, 2)
    const quarter = smallerBlock(kept, filter, 4)
    return factor === 4 ? quarter : smallerBlock(quarter, filter, 2)
  }

import { reducePass } from '../formats/reduce-pass.ts'
import type { PassBlock } from '../formats/pass-block.ts'
import { passFilter } from '../passes/passes.ts'
import type { PassRef } from './plan/plan-node.ts'

/** A pass at a size at which it is kept. */
export interface StoredPassRef extends PassRef {
  readonly reduction: 1 | 2 | 4
}

/**
 * Passes at every size out of those that are kept: below a quarter they are made from it, as a quarter is from the whole. Where the frame has
 * an odd size its last cells are the mean of the pixels that they have.
 */
export const withSmallSizes =
  (load: (ref: StoredPassRef) => Promise<PassBlock>) =>
  async (ref: PassRef): Promise<PassBlock> => {
    const { reduction, pass, filter = passFilter(pass) } = ref
    if (reduction === 1 || reduction === 2 || reduction === 4) return load({ ...ref, reduction })
    const smaller = (block: PassBlock, factor: 2 | 4) =>
      reducePass(block, filter, factor, { width: block.x + block.width, height: block.y + block.height })
    const quarter = await load({ ...ref, reduction: 4 })
    if (reduction === 8) return smaller(quarter, 2)
    const sixteenth = smaller(quarter, 4)
    return reduction === 16 ? sixteenth : smaller(sixteenth, 2)
  }

import { sha256 } from '@noble/hashes/sha2.js'
import { bytesToHex, utf8ToBytes } from '@noble/hashes/utils.js'
import type { Pass, ReadAs } from '../../comp/media.ts'
import type { PassFilter } from '../../passes/pass-kind.ts'
import type { Workshop } from '../../kernels/pyramid.ts'
import type { Affine } from '../../picture/affine.ts'
import type { LinearColour } from '../../picture/colour.ts'
import type { Picture } from '../../picture/picture.ts'
import type { Part, Reduction } from '../work-area.ts'

/** A pass of a file, as an engine asks for it. */
export interface PassRef {
  readonly hash: string
  readonly pass: Pass
  readonly as: ReadAs
  readonly reduction: Reduction
  /** Only this part of it is wanted, counted from the corner of the frame's margin; at full size alone. */
  readonly part?: Part
  /** Rows of the canvas that are enough, the last not counted. */
  readonly rows?: readonly [from: number, to: number]
  /** Columns of those that are enough. */
  readonly columns?: readonly [from: number, to: number]
  /** The entries of a colour table, not a picture of them in the frame. */
  readonly isTable?: boolean
  /** How it is made smaller, where that is not as its kind says. */
  readonly filter?: PassFilter
  /** It belongs to a huge frame, see work-area: small sizes of it are kept too. */
  readonly isHuge?: boolean
  /** Hexadecimal IDs: the coverage of these objects is asked for, not the pass. */
  readonly objects?: readonly string[]
}

/**
 * One picture to be computed. `key` says everything that its pixels depend on; equal keys are equal pictures.
 * Inputs come first; `make` takes its result from the workshop's store.
 */
export interface PlanNode {
  readonly key: string
  readonly inputs: readonly PlanNode[]
  /** Where it comes from; one with inputs too is made from them when they are there, and loaded when they are not. */
  readonly load?: PassRef
  make(inputs: readonly Picture[], workshop: Workshop): Picture
  /** The step this picture belongs to, for messages. */
  readonly stepId?: string
  /** It is only another picture placed elsewhere: what places it again starts from that one. */
  readonly placed?: { readonly from: PlanNode; readonly matrix: Affine }
  /** It is only another picture with other colours: what is linear on it again starts from that one. */
  readonly coloured?: { readonly from: PlanNode } & LinearColour
}

/** A short stand-in for a description, 128 bits in hexadecimal: the same in every process and on every machine. */
export const keyOf = (description: string): string =>
  bytesToHex(sha256(utf8ToBytes(description)).subarray(0, 16))

/** A picture made of others; `what` says all that its pixels depend on besides them. */
export function node(
  what: string,
  inputs: readonly PlanNode[],
  make: PlanNode['make'],
  more: Partial<PlanNode> = {},
): PlanNode {
  return { key: keyOf(`${what}(${inputs.map((i) => i.key).join(',')})`), inputs, make, ...more }
}

/** A picture that is loaded. */
export function loaded(what: string, load: PassRef): PlanNode {
  return {
    key: keyOf(what),
    inputs: [],
    load,
    make: () => {
      throw new Error('Internal mistake: a pass was not loaded')
    },
  }
}

import * as v from 'valibot'
import { finite, id } from './parts.ts'

// Where pictures and mattes are taken from.

export const passLink = v.strictObject({ type: v.literal('pass'), media: id, pass: v.string() })
export const tapLink = v.strictObject({ type: v.literal('tap'), lane: id, after: v.optional(id) })
export const drawingLink = v.strictObject({
  type: v.literal('drawing'),
  drawing: id,
  /** This shape of it alone. */
  shape: v.optional(id),
})
/** What is connected to an input of the step that the lane is a part of. */
export const inputLink = v.strictObject({ type: v.literal('input'), input: id })
export const link = v.variant('type', [passLink, tapLink, drawingLink, inputLink])

/** Grown by so many pixels of the full frame, shrunk below 0. */
export const spread = v.pipe(finite, v.minValue(-4000), v.maxValue(4000))
/** Width of an edge in pixels of the full frame. */
export const soft = v.pipe(finite, v.minValue(0), v.maxValue(4000))

/** A feed that stands still. */
export const plainFeed = v.strictObject({
  from: link,
  use: v.optional(v.picklist(['alpha', 'luminance', 'red', 'green', 'blue'])),
  invert: v.optional(v.boolean()),
  spread: v.optional(spread),
  soft: v.optional(soft),
  /** IDs of objects of an ID pass, eight hexadecimal digits each: their coverage is the matte. */
  objects: v.optional(
    v.array(v.pipe(v.string(), v.regex(/^[0-9a-f]{8}$/, 'wants eight hexadecimal digits'))),
  ),
})

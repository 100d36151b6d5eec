import * as v from 'valibot'
import { moving } from '../tracks/track.ts'
import { ease, finite, id, isRising, name, point, unit, whole } from './parts.ts'

// Drawn shapes. A drawing is named by sources and mattes; places are in pixels of the full frame.

const widest = 4000
const pixels = v.pipe(finite, v.minValue(0, 'wants 0 or more'), v.maxValue(widest, `wants at most ${widest}`))

/** A point of an outline; `in` and `out` are its handles, from the point. */
const vertex = v.strictObject({
  at: point,
  in: v.optional(point),
  out: v.optional(point),
  /** Width of the soft edge outside the shape here, in place of the shape's own. */
  soft: v.optional(pixels),
})
/** A closed outline of cubic Béziers. */
const path = v.pipe(v.array(vertex), v.maxLength(20_000, 'wants at most 20,000 points'))
const keyedPath = v.strictObject({
  keys: v.pipe(
    v.array(v.strictObject({ frame: whole, path, ease: v.optional(ease) })),
    v.minLength(1, 'wants at least one key'),
    v.check((keys) => isRising(keys), 'wants keys by rising frame'),
  ),
})
const shape = v.strictObject({
  id,
  name,
  /** How it meets the shapes before it. */
  by: v.picklist(['union', 'intersect', 'subtract']),
  path: v.union([path, keyedPath]),
  /** Where an outline goes around itself: filled all over, or every second time a hole. */
  rule: v.picklist(['nonzero', 'evenodd']),
  opacity: moving(unit),
  /** Width of the soft edge inside and outside of the outline. */
  inner: moving(pixels),
  outer: moving(pixels),
  shown: v.boolean(),
  locked: v.boolean(),
})
const shapes = v.pipe(v.array(shape), v.maxLength(500, 'wants at most 500 shapes'))
/** A drawing is moved, turned (degrees, clockwise) and scaled (percent) as one, about a point of the picture. */
const placing = v.strictObject({
  about: v.optional(moving(point)),
  move: v.optional(moving(point)),
  turn: v.optional(moving(finite)),
  scale: v.optional(moving(v.pipe(finite, v.minValue(0), v.maxValue(10_000)))),
})

export const drawing = v.variant('time', [
  /** Shapes that stand, or move between keys of their own. */
  v.strictObject({ id, name, time: v.literal('keyed'), shapes, placing: v.optional(placing) }),
  /** A drawing of its own on some frames; on those between, the last one is held or nothing is there. */
  v.strictObject({
    id,
    name,
    time: v.literal('frames'),
    placing: v.optional(placing),
    between: v.picklist(['hold', 'empty']),
    cels: v.pipe(
      v.array(v.strictObject({ frame: whole, shapes })),
      v.check((cels) => isRising(cels), 'wants frames that rise'),
    ),
  }),
])

export type Drawing = v.InferOutput<typeof drawing>
export type Shape = v.InferOutput<typeof shape>
export type Placing = v.InferOutput<typeof placing>
export type Vertex = v.InferOutput<typeof vertex>
export type Path = v.InferOutput<typeof path>
export type KeyedPath = v.InferOutput<typeof keyedPath>
export type DrawnPoint = v.InferOutput<typeof point>

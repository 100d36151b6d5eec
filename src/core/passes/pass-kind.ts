import * as v from 'valibot'
import { processNode } from '../colour/process.ts'
import { finite } from '../comp/parts.ts'
import type { PassStats } from '../formats/pass-stats.ts'
import type { Picture } from '../picture/picture.ts'

/** How the numbers of a pass are meant; what is left out has the first of its choices. */
export const passDetailSchema = v.object({
  /** Depth: distance grows with the value; the value is 1 − distance (1 near); or 1 / distance. */
  depth: v.optional(v.picklist(['distance', 'flipped', 'inverse'])),
  /** Depth: the value from which on nothing was hit, in the file's own numbers (0: exactly that); null where there is none. */
  miss: v.optional(v.nullable(finite)),
  /** What one step of a distance or a position is. */
  unit: v.optional(v.picklist(['scene units', 'mm', 'cm', 'm', 'km', '0–1'])),
  /** Normals: −1 … 1, or packed into 0 … 1. */
  range: v.optional(v.picklist(['signed', 'packed'])),
  /** Normals and positions: axes of the scene, or of the camera. */
  space: v.optional(v.picklist(['world', 'camera'])),
  /** Object IDs: ranked by coverage with four channels a level (Cryptomatte), or one value or colour a pixel. */
  masks: v.optional(v.picklist(['ranked', 'plain'])),
  /** Motion: pixels of the full frame, or shares of its width and height. */
  vectors: v.optional(v.picklist(['pixels', 'shares'])),
  /** Motion: to where it is on the next frame, from where it was on the last one, or back to there. */
  leads: v.optional(v.picklist(['next', 'last', 'back'])),
  /** Motion: whether its second number grows downwards or upwards. */
  vertical: v.optional(v.picklist(['down', 'up'])),
  /** Of a colour table: how many entries along each side, lines or a cube, and what its ends stand for. */
  table: v.optional(
    v.object({
      size: v.pipe(v.number(), v.integer(), v.minValue(2), v.maxValue(65_536)),
      cube: v.boolean(),
      from: v.strictTuple([finite, finite, finite]),
      to: v.strictTuple([finite, finite, finite]),
    }),
  ),
  /** Of a process list: its nodes, whose tables are the entries of the pass. */
  process: v.optional(v.pipe(v.array(processNode), v.maxLength(64))),
})
export type PassDetail = v.InferOutput<typeof passDetailSchema>

/** How a pass is made smaller: by the mean, the mean brought back to length 1 (packed: of 0 … 1), by picking pixels, or by joining ranked objects. */
export const passFilters = ['mean', 'normal', 'packed', 'pick', 'ranks'] as const
export type PassFilter = (typeof passFilters)[number]

/** Pixels of the full frame. */
export interface FrameSize {
  readonly width: number
  readonly height: number
}

type Code = readonly [r: number, g: number, b: number]

/** All that is particular to a kind of pass. What is left out is not so, or as it is for most. */
export interface PassRules<K extends string = string> {
  readonly kind: K
  /** What it is good for, in one line. */
  readonly use: string
  /** Patterns of names in lower case with underscores, as renderers write them (common practice). Lower ranks are asked first. */
  readonly named?: { readonly rank: number; readonly by: readonly RegExp[] }
  /** Its values are light: converted to scene-linear and premultiplied on entry. */
  readonly isLight?: boolean
  /** Its values are data: never converted, blended or filtered as colour. */
  readonly isData?: boolean
  /** It is one channel, whatever its file repeats it in. */
  readonly isSingle?: boolean
  /** Its values are bits, not numbers. */
  readonly isBits?: boolean
  /** Infinite values mean something: `settle` takes them. */
  readonly takesInfinite?: boolean
  /** What lies outside of its data window; 0 where left out. */
  readonly outside?: number
  /** How a lane of it meets the picture; over where left out. */
  readonly joins?: 'plus' | 'multiply'
  /** A lane of it is a matte to feed from. */
  readonly isForMattes?: boolean
  /** How its numbers are probably meant, by its name (as for `named`) and its values. */
  detail?(name: string, stats: PassStats | undefined): PassDetail
  /** How it is made smaller. */
  filter(detail: PassDetail | undefined): PassFilter
  /** Turns placed numbers into what the engine takes, in place; gives back how many were none. Left out: what is no number becomes 0. */
  settle?(picture: Picture, detail: PassDetail | undefined, frame: FrameSize): number
  /** The 8-bit colour of the value that starts at an index, for the eye. `low` and `high` are the 1st and 99th percentile of its first channel. */
  draw(picture: Picture, low: number, high: number): (i: number) => Code
  /** Drawn over all of it, in 8-bit RGBA codes. */
  mark?(codes: Uint8Array, picture: Picture): void
}

export function definePassKind<const K extends string>(rules: PassRules<K>): PassRules<K> {
  return rules
}

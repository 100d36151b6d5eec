import * as v from 'valibot'
import { inputLink, passLink, plainFeed, tapLink } from '../comp/links.ts'
import { finite, id, isRising, point, whole } from '../comp/parts.ts'

// What stands in place of a constant when a setting moves: keys, what lies beyond them, and what rides on them.

const numbers = v.pipe(v.array(finite), v.minLength(2), v.maxLength(4))
/** Lists of numbers, such as picked colours. */
const numberLists = v.pipe(v.array(numbers), v.maxLength(64, 'wants at most 64 parts'))
export const constant = v.union([finite, v.string(), v.boolean(), numbers, numberLists])

const atLeast = (least: number) => v.pipe(finite, v.minValue(least, `wants at least ${least}`))
const share = v.pipe(finite, v.minValue(0, 'wants 0 to 1'), v.maxValue(1, 'wants 0 to 1'))
/** Offsets from a key in frames and value, one for each component of the value. */
const handles = (check: (frames: number) => boolean, words: string) =>
  v.pipe(
    v.array(
      v.pipe(
        v.strictTuple([finite, finite]),
        v.check(([frames]) => check(frames), words),
      ),
    ),
    v.minLength(1),
    v.maxLength(4),
  )

const key = v.strictObject({
  /** Whole or between two frames. */
  frame: finite,
  value: constant,
  /** How it goes on to the next key; straight where left out. */
  go: v.optional(v.picklist(['hold', 'straight', 'curve'])),
  /** Handle of the curve that comes to the key. Left out: a third of the straight way. */
  in: v.optional(handles((frames) => frames <= 0, 'wants a handle that does not lie behind its key')),
  /** Handle of the curve that leaves it. */
  out: v.optional(handles((frames) => frames >= 0, 'wants a handle that does not lie before its key')),
  /** Its two handles are turned each by itself. */
  broken: v.optional(v.boolean()),
  /** Handles on the picture of a point that moves along a path, as offsets from the point. */
  bendIn: v.optional(point),
  bendOut: v.optional(point),
})

const beyond = v.picklist(['hold', 'straight', 'repeat', 'add', 'swing'])
export const beyondWords = {
  hold: 'Hold',
  straight: 'Go on straight',
  repeat: 'Repeat',
  add: 'Repeat and add up',
  swing: 'Back and forth',
} as const satisfies Record<v.InferOutput<typeof beyond>, string>

const on = v.boolean()
const flicker = v.strictObject({
  type: v.literal('flicker'),
  on,
  /** Greatest deflection: of numbers, angles and points in their units; of colours as a share of them. */
  amount: finite,
  /** In hertz. */
  rate: v.pipe(finite, v.minValue(0), v.maxValue(240)),
  /** 0: one even unrest; 1: as strong at twice, four and eight times the rate. */
  roughness: share,
  seed: whole,
})
const stepped = v.strictObject({
  type: v.literal('step'),
  on,
  /** Each value stands for so many frames. */
  frames: atLeast(1),
})
const shift = v.strictObject({
  type: v.literal('shift'),
  on,
  /** Later by so many frames. */
  frames: finite,
  /** How fast it runs from its first key on. */
  speed: finite,
  /** Factor of the value. */
  times: finite,
  /** Added to the value, after the factor. */
  plus: finite,
})
const follow = v.strictObject({
  type: v.literal('follow'),
  on,
  of: v.variant('type', [
    /** The centre of a matte: of objects of an ID pass, of a lane's alpha, of a drawing. */
    v.strictObject({ type: v.literal('matte'), matte: plainFeed }),
    /** Where the placing steps of a lane put the middle of the frame. */
    v.strictObject({ type: v.literal('placement'), lane: id }),
    /** Another point: a dial of a step. */
    v.strictObject({ type: v.literal('point'), step: id, key: v.string() }),
  ]),
  /** From what is followed, in pixels of the full frame. */
  offset: point,
})
const measure = v.strictObject({
  type: v.literal('measure'),
  on,
  /** The pass or lane whose luminance is measured. */
  of: v.variant('type', [passLink, tapLink, inputLink]),
  /** Only there. */
  inside: v.optional(plainFeed),
  /** The mean, or so much of the area is darker. */
  what: v.union([
    v.literal('mean'),
    v.pipe(finite, v.minValue(0, 'wants 0 to 100'), v.maxValue(100, 'wants 0 to 100')),
  ]),
  from: v.strictTuple([finite, finite]),
  to: v.strictTuple([finite, finite]),
  /** Frames by which it comes later, on the mean. */
  lag: v.pipe(finite, v.minValue(0), v.maxValue(100)),
  /** It takes the place of the value, or is its factor, or is added to it. */
  as: v.picklist(['value', 'times', 'plus']),
})
const rider = v.variant('type', [flicker, stepped, shift, follow, measure])

export const track = v.strictObject({
  keys: v.pipe(
    v.array(key),
    v.minLength(1, 'wants at least one key'),
    v.check((keys) => isRising(keys), 'wants keys by rising frame'),
  ),
  /** Before the first and after the last key; hold where left out. */
  before: v.optional(beyond),
  after: v.optional(beyond),
  /** Colours go over through OKLab; in linear light where left out. */
  mix: v.optional(v.literal('oklab')),
  /** A point moves along a path with handles on the picture: at even speed from its first to its last key, or by its keys. */
  along: v.optional(v.picklist(['keys', 'even'])),
  /** Laid over the value in turn. */
  riders: v.optional(v.pipe(v.array(rider), v.maxLength(16, 'wants at most 16'))),
})

export type Track = v.InferOutput<typeof track>
export type Key = Track['keys'][number]
export type Handle = readonly [frames: number, value: number]
export type Go = NonNullable<Key['go']>
export type Beyond = v.InferOutput<typeof beyond>
export type Rider = v.InferOutput<typeof rider>
export type Follow = v.InferOutput<typeof follow>
export type Measure = v.InferOutput<typeof measure>

export function isTrack(one: unknown): one is Track {
  return typeof one === 'object' && one !== null && !Array.isArray(one) && 'keys' in one
}

/** A piece of the schema that may also be a track; what is wrong with either is said of that one. */
export const moving = <S extends v.GenericSchema>(schema: S) =>
  v.lazy((input): S | typeof track => (isTrack(input) ? track : schema))

/** What a setting holds: a constant or a track. */
export const setting = moving(constant)
export type Setting = v.InferOutput<typeof setting>

import * as v from 'valibot'
import { framesOfPass, type Media, type Pass } from './media.ts'
import { finite, whole } from './parts.ts'

// Which frame of its media a lane shows on a frame of the shot.

const beyond = v.picklist(['hold', 'loop', 'swing', 'nothing'])
export const beyondMediaWords = {
  hold: 'Hold',
  loop: 'Begin anew',
  swing: 'There and back',
  nothing: 'Nothing',
} as const satisfies Record<v.InferOutput<typeof beyond>, string>

/** Media in time: of all passes that a lane and its steps take. What is left out changes nothing. */
export const laneTime = v.strictObject({
  /** Later by so many frames. */
  shift: v.optional(finite),
  /** Of the media for one of the shot, from the media's first frame on; backwards below 0. */
  speed: v.optional(v.pipe(finite, v.minValue(-100), v.maxValue(100))),
  /** Each of its frames stands for so many of the shot. */
  every: v.optional(v.pipe(whole, v.minValue(1, 'wants at least 1'), v.maxValue(1000, 'wants at most 1000'))),
  /** Before its first frame and after its last; hold where left out. */
  before: v.optional(beyond),
  after: v.optional(beyond),
  /** It stands on this frame of the media. */
  frozen: v.optional(whole),
})
export type LaneTime = v.InferOutput<typeof laneTime>
export type BeyondMedia = v.InferOutput<typeof beyond>

/** The frame of a media's first to last that is shown; undefined for nothing. */
export function mediaFrame(
  time: LaneTime,
  frame: number,
  { first, last }: { readonly first: number; readonly last: number },
): number | undefined {
  const { shift = 0, speed = 1, every = 1, frozen } = time
  if (frozen !== undefined) return frozen
  const passed = frame - first - shift
  const stepped = every > 1 ? Math.floor(passed / every) * every : passed
  // A speed such as 0.1 has no exact number: what falls a hair short of a frame is that frame.
  const at = first + Math.floor(stepped * speed + 1e-6)
  if (at >= first && at <= last) return at
  const how = (at < first ? time.before : time.after) ?? 'hold'
  const length = last - first + 1
  switch (how) {
    case 'hold':
      return at < first ? first : last
    case 'nothing':
      return undefined
    case 'loop':
      return first + ((((at - first) % length) + length) % length)
    case 'swing': {
      if (length === 1) return first
      const round = 2 * (length - 1)
      const place = (((at - first) % round) + round) % round
      return first + (place < length ? place : round - place)
    }
  }
}

/** The same of a lane's media; stills, and lanes that leave time alone, have the frame of the shot. */
export function frameOfMedia(
  time: LaneTime | undefined,
  frame: number,
  media: Media,
  pass: Pass | undefined,
): number | undefined {
  if (!time) return frame
  const numbers = Object.keys(framesOfPass(media, pass)).map(Number)
  if (numbers.length < 2) return frame
  let [first, last] = [Infinity, -Infinity]
  for (const n of numbers) [first, last] = [Math.min(first, n), Math.max(last, n)]
  return mediaFrame(time, frame, { first, last })
}

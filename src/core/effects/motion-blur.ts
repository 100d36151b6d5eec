import type { Opening } from '../kernels/kernels.ts'
import { tileSize } from '../kernels/declarations/smear.ts'
import { smearBy } from '../kernels/smear.ts'
import { choice, number } from '../dials/dials.ts'
import { shutterTimes } from '../time.ts'
import { defineEffect, type OtherTime } from './effect.ts'

interface Dials {
  readonly shutter: number
  readonly opens: number
  readonly centre: number
}

const openingOf = ({ shutter, opens, centre }: Dials): Opening => ({
  ...shutterTimes(shutter, opens),
  peak: centre,
})

/** So many moments of a time that a shutter is open, evenly, each with its share of the light. */
export function moments(dials: Dials, frame: number, count: number): OtherTime[] {
  const { from, to, peak } = openingOf(dials)
  const shares = Array.from({ length: count }, (_, i) => (i + 0.5) / count)
  const weights = shares.map((s) => 1 - peak * Math.abs(2 * s - 1))
  const sum = weights.reduce((a, b) => a + b, 0)
  return shares.map((s, i) => {
    const w = weights[i]! / sum
    return { frame: frame + from + (to - from) * s, weights: [w, w, w, w] }
  })
}

export default defineEffect({
  id: 'motion-blur',
  title: 'Motion blur',
  family: 'motion',
  kind: 'filter',
  purpose:
    'Smears what moves as an open shutter does: by a motion pass, by its own keys, or by making moments between frames.',
  search:
    'shutter angle smear vector vectors velocity speed directional moving exposure subframes subframe camera trail streak fast whip pan',
  law: `The mean of the picture over the time from opens / 360° to (opens + shutter) / 360° frames, premultiplied colour and alpha alike, weighed by 1 − sharp centre · |2s − 1|, s the share of that time. By a motion pass every pixel moves straight on by its motion (pixels to the next frame, as the pass is meant; held to longest px a frame): where all pixels that may come to a tile of 16 × 16 go the same way within 1.5 px over that time, it is the line integral along the pixel's own motion, in whole pixels along its longer axis (two at a time, as far aside as their middle, between its ends and away from edges) and interpolated across. Elsewhere at each of ⌈0.85 · length⌉ moments (4 – 256) the surfaces are looked for that come to be at the pixel then, within a pixel, along the ways of all tiles that sweep over its own (at most four of a tile, six together, the fastest first) and its own, and up to eight are laid over each other by depth, the nearest on top (without a depth feed the faster on top); where none comes, what is seen there is what lies behind. Own movement: the mean of the lane at moments between, one for each pixel that its placings and drawings move (8 – 128), with its media as on this frame. Sub-frames: the mean at so many moments, media at the nearest frame. Beyond the edge its pixels repeat. A shutter of 0 leaves the picture as it is.`,
  belongs: {
    after: ['colour', 'shade', 'matte', 'depth', 'light'],
    before: ['finish'],
    reason:
      'Light smears with what moves, so it stands before; the lens and grain do not move, so they come after.',
    isFirm: true,
  },
  feeds: {
    motion: {
      kind: 'motion',
      required: false,
      hint: 'How far each pixel moves to the next frame: the motion pass.',
    },
    depth: {
      kind: 'depth',
      required: false,
      without: 'the faster in front',
      hint: 'How far away things are, so that what passes in front stays in front.',
    },
  },
  reach(dials) {
    if (dials.by !== 'motion') return undefined
    const { from, to } = openingOf(dials)
    // Where nothing comes to be, what lies behind is looked for up to three times as far.
    return 3 * dials.longest * Math.max(Math.abs(from), Math.abs(to)) + 2 * tileSize + 2
  },
  needs: ({ by }): readonly ('motion' | 'depth')[] => (by === 'motion' ? ['motion'] : []),
  dials: {
    by: choice({
      default: 'motion',
      options: { motion: 'A motion pass', own: 'Its own movement', frames: 'Sub-frames' },
      hint: 'A motion pass from the renderer; the keys of placings and drawings before this step; or everything before it made anew at moments between frames.',
    }),
    shutter: number({
      default: 180,
      range: [0, 360],
      hard: [0, 720],
      unit: '°',
      step: 1,
      hint: 'How long it is open: 360 is a whole frame, 180 the half of it that film cameras are used to.',
    }),
    opens: number({
      default: -90,
      range: [-360, 360],
      hard: [-720, 720],
      unit: '°',
      step: 1,
      hint: 'When it opens, from the middle of the frame: half of the shutter below 0 smears evenly to both sides.',
    }),
    centre: number({
      default: 0,
      range: [0, 1],
      step: 0.01,
      label: 'Sharp centre',
      hint: 'More lets more light in in the middle of that time, so that the thing itself is seen in its smear.',
    }),
    longest: number({
      default: 200,
      range: [10, 1000],
      hard: [0, 1e5],
      unit: 'px',
      step: 1,
      taper: 'log',
      when: { dial: 'by', is: 'motion' },
      hint: 'Motion of more than this in a frame counts as this: wrong vectors then do not smear all over the picture.',
    }),
    moments: number({
      default: 16,
      range: [2, 64],
      hard: [1, 256],
      step: 1,
      when: { dial: 'by', is: 'frames' },
      hint: 'How many moments are made: more is smoother, and takes as many times longer.',
    }),
  },
  starts: [
    { name: 'Film camera', dials: { shutter: 180, opens: -90 } },
    { name: 'Long trails', dials: { shutter: 360, opens: -180, centre: 0.4 } },
    { name: 'Crisp', dials: { shutter: 60, opens: -30 } },
  ],
  example: { shutter: 720, opens: -360 },
  overTime(dials, { frame, travel }) {
    if (dials.by === 'motion' || dials.shutter === 0) return undefined
    if (dials.by === 'frames') return { times: moments(dials, frame, Math.round(dials.moments)) }
    const { from, to } = openingOf(dials)
    const px = travel(from, to)
    const count = px < 0.02 ? 1 : Math.min(128, Math.max(8, Math.ceil(px)))
    if (count === 1) return { times: [{ frame, weights: [1, 1, 1, 1] }] }
    return { times: moments(dials, frame, count), holdsMedia: true }
  },
  apply({ out, picture, feeds, dials, reduction, kernels, store }) {
    if (!feeds.motion || dials.shutter === 0) {
      out.data.set(picture.data)
      return
    }
    const opening = openingOf(dials)
    const how = { scale: 1 / reduction, opening, longest: dials.longest, depth: feeds.depth }
    smearBy(out, picture, feeds.motion, how, { kernels, store })
  },
})

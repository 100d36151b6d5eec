import type { NoisePart } from '../kernels/kernels.ts'
import { hashUnit } from '../kernels/noise.ts'
import { choice, flag, number } from '../dials/dials.ts'
import { secondsAt } from '../time.ts'
import { defineEffect } from './effect.ts'

/** Slopes of gradient noise against its values, root mean square: with 1 over it both move a picture as far on the mean. */
const slopeRms = 2.62

interface Dials {
  readonly size: number
  readonly strength: number
  readonly octaves: number
  readonly roughness: number
  readonly speed: number
  readonly driftX: number
  readonly driftY: number
  readonly way: 'both' | 'along' | 'across'
  readonly angle: number
  readonly swirl: boolean
  readonly seed: number
}

/** The field of ways that the dials stand for, after so many seconds. */
export function waysOf(d: Dials, seconds: number): NoisePart[] {
  const octaves = Math.round(d.octaves)
  const gains = Array.from({ length: octaves }, (_, o) => d.roughness ** o)
  const total = gains.reduce((a, b) => a + b, 0)
  const turn = ((d.angle + (d.way === 'across' ? 90 : 0)) * Math.PI) / 180
  return gains.flatMap((gain, o) => {
    const much = (d.strength * gain) / total
    if (much === 0) return []
    const frequency = 2 ** o / d.size
    const part = (which: number, value: readonly [number, number], slopes: readonly [number, number]) => {
      const shift = (axis: number) => Math.floor(hashUnit(Math.round(d.seed), o, which, axis) * 256)
      const drifted = (axis: number, px: number) => shift(axis) - px * seconds * frequency
      return {
        frequency,
        from: [drifted(0, d.driftX), drifted(1, d.driftY), shift(2) + d.speed * seconds],
        value,
        slopes,
      } as const
    }
    const none = [0, 0] as const
    if (d.way !== 'both') return [part(0, [much * Math.cos(turn), much * Math.sin(turn)], none)]
    if (d.swirl) return [part(0, none, [much / slopeRms, -much / slopeRms])]
    return [part(0, [much, 0], none), part(1, [0, much], none)]
  })
}

export default defineEffect({
  id: 'noise-warp',
  title: 'Noise warp',
  family: 'motion',
  kind: 'filter',
  purpose:
    'Moves the picture by smooth noise that changes: flames waver, heat shimmers, water bends what is behind it.',
  search:
    'waver wobble turbulence distort distortion ripple flicker flame heat haze shimmer water underwater displace displacement fractal wave organic edge roughen wind smoke curl flow',
  law: `out(p) = picture(p − d(p) · (1 − hold(p))), p the middle of a pixel, between pixels by Catmull–Rom on premultiplied light. d = strength · Σ roughness^o · n_o / Σ roughness^o over the octaves o = 0, 1, …, where n_o is gradient noise (Perlin 2002) at (p − drift · t) · 2^o / size px and at time speed · t, t in seconds of the shot; each octave and direction begins at whole numbers of the lattice of its own, by the seed. Both ways: one noise across and another downwards. Along an angle, or across it: one noise, on that line only. Swirling: d is (∂n/∂y, −∂n/∂x) in units of the lattice, over ${slopeRms}, so that nothing is squeezed on the whole (its divergence is 0). Where the picture is squeezed to less than four fifths the filter grows with it, by 0.8 of the squeeze and up to 16 times. Beyond the edge there is nothing, or its pixels repeat, or the picture is mirrored.`,
  belongs: {
    after: ['colour', 'shade', 'matte', 'depth'],
    before: ['light', 'finish'],
    reason: 'Light spreads from where things waver to, and smears with them after.',
  },
  feeds: {
    hold: {
      kind: 'matte',
      required: false,
      without: 'nothing',
      hint: 'Where nothing moves, such as the root of a flame: as far as it covers, the picture stays.',
    },
  },
  reach: ({ strength }) => 3 * strength + 3,
  dials: {
    size: number({
      default: 90,
      range: [4, 800],
      hard: [1, 50000],
      unit: 'px',
      step: 1,
      taper: 'log',
      hint: 'From one swing to the next: more moves large parts together, less crinkles edges.',
    }),
    strength: number({
      default: 14,
      range: [0, 200],
      hard: [0, 10000],
      unit: 'px',
      step: 0.1,
      taper: 'log',
      hint: 'How far the farthest parts go; 0 leaves the picture as it is.',
    }),
    octaves: number({
      default: 2,
      range: [1, 6],
      step: 1,
      hint: 'Finer and finer noise on top: 1 only sways, more frays.',
    }),
    roughness: number({
      default: 0.5,
      range: [0, 1],
      step: 0.01,
      hint: 'How strong each finer noise is against the one before.',
    }),
    speed: number({
      default: 0.8,
      range: [0, 6],
      hard: [0, 1000],
      unit: '/s',
      step: 0.01,
      hint: 'How often it changes in a second of the shot; 0 stands still.',
    }),
    driftX: number({
      default: 0,
      range: [-400, 400],
      hard: [-1e5, 1e5],
      unit: 'px/s',
      step: 1,
      label: 'Drift across',
      hint: 'How fast the noise runs to the right.',
    }),
    driftY: number({
      default: 0,
      range: [-400, 400],
      hard: [-1e5, 1e5],
      unit: 'px/s',
      step: 1,
      label: 'Drift down',
      hint: 'How fast the noise runs down; below 0 it rises, as flames do.',
    }),
    way: choice({
      default: 'both',
      options: { both: 'All ways', along: 'Along an angle', across: 'Across an angle' },
      hint: 'Whether parts go to all sides, or only on one line.',
    }),
    angle: number({
      default: 0,
      range: [0, 360],
      hard: [-36000, 36000],
      unit: '°',
      step: 1,
      when: { dial: 'way', is: ['along', 'across'] },
      hint: 'The line that parts move along, or across; clockwise from the right.',
    }),
    swirl: flag({
      default: false,
      label: 'Swirling',
      when: { dial: 'way', is: 'both' },
      hint: 'On: it turns as water does, and squeezes nothing. Off: parts also come together and go apart.',
    }),
    edge: choice({
      default: 'stretched',
      options: { empty: 'Nothing', stretched: 'Stretched', mirrored: 'Mirrored' },
      label: 'Beyond the edge',
      hint: 'What comes in where the edge of the picture is moved inwards.',
    }),
    seed: number({ default: 1, range: [0, 999], step: 1, hint: 'Another number, another noise.' }),
  },
  varies: ({ strength, speed, driftX, driftY }) =>
    strength > 0 && (speed > 0 || driftX !== 0 || driftY !== 0),
  starts: [
    { name: 'Flame', dials: { size: 70, strength: 16, octaves: 3, speed: 1.4, driftY: -140 } },
    { name: 'Heat', dials: { size: 26, strength: 2.2, octaves: 2, speed: 3, driftY: -60 } },
    {
      name: 'Under water',
      dials: { size: 180, strength: 7, octaves: 2, roughness: 0.35, speed: 0.5, swirl: true },
    },
    { name: 'Frayed edge', dials: { size: 14, strength: 5, octaves: 4, roughness: 0.7, speed: 0 } },
  ],
  example: { size: 60, strength: 18 },
  apply({ out, picture, feeds, dials, frame, rate, corner = [0, 0], kernels, store }) {
    const parts = waysOf(dials, secondsAt(frame, rate))
    if (parts.length === 0) {
      out.data.set(picture.data)
      return
    }
    const right = store.allocate(out.width, out.height, 1)
    const down = store.allocate(out.width, out.height, 1)
    kernels.noiseWay({ right, down }, parts, corner)
    kernels.warp(out, picture, { right, down }, feeds.hold, dials.edge)
    store.release(right)
    store.release(down)
  },
})

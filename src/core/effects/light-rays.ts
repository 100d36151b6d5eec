import { castRays } from '../kernels/draw-light.ts'
import { noise3 } from '../kernels/noise.ts'
import { hueSaturationMatrix, linearColour } from '../picture/colour.ts'
import { catchDials, caughtBy, lightFeeds } from './catch-light.ts'
import { choice, colour, number, point } from '../dials/dials.ts'
import { defineEffect } from './effect.ts'
import { secondsAt } from '../time.ts'

/** Light this many pixels deep begins its rays with its own brightness at strength 1. */
const depthPx = 100

export default defineEffect({
  id: 'light-rays',
  title: 'Light rays',
  family: 'light',
  kind: 'light',
  purpose: 'Beams that run from bright openings away from a point, as light does in haze or water.',
  search:
    'god rays beams of sun shafts volumetric crepuscular sunbeams streaks radial light dust window projector',
  law: `Light that is taken: Y is the luminance (or the brightest channel), y = min(Y, ceiling), k = knee · threshold. Excess e = 0 up to threshold − k, (y − threshold + k)² / 4k up to threshold + k, y − threshold beyond. What is taken is colour · e / Y, as it is premultiplied. A pixel at distance r from the origin gets strength / 100 px · ∫ L(r − t) · (1 − t / length)^falloff · T(t) dt over 0 ≤ t < length: light runs outwards only, beginning at each lit pixel itself. T is what gets through the occluder on the way, ∏ (1 − o) pixel by pixel; between pixels −log₂(1 − o) is interpolated, so a wall of one pixel blocks wherever it is crossed. Levels act on the luminance of the rays: ((y − black) / (white − black))^(1 / gamma). Black beyond the picture.`,
  belongs: {
    after: ['colour', 'depth'],
    before: ['motion', 'finish'],
    reason: 'Rays lie in the haze and smear with what moves.',
  },
  feeds: {
    ...lightFeeds,
    occluder: {
      kind: 'matte',
      required: false,
      without: 'nothing',
      hint: 'What stands in the way: rays end in it as far as it covers, pixel by pixel.',
    },
  },
  dials: {
    origin: point({
      default: [0.5, 0.1],
      hint: 'Where the light comes from; rays run away from it. It may lie outside the picture.',
    }),
    length: number({
      default: 500,
      range: [10, 4000],
      hard: [0, 1e5],
      unit: 'px',
      step: 1,
      taper: 'log',
      hint: 'How far the rays reach; how bright they begin does not change.',
    }),
    falloff: number({
      default: 1.5,
      range: [0, 4],
      hard: [0, 16],
      step: 0.05,
      hint: 'How the light fades along a ray: 0 never, with a hard end; 1 evenly; 2 and more soon.',
    }),
    ...catchDials,
    strength: number({
      default: 1,
      range: [0, 8],
      hard: [0, 1e6],
      step: 0.01,
      hint: 'How bright the rays are. There is no upper end.',
    }),
    colour: choice({
      default: 'light',
      options: { light: 'From the light', own: 'Own' },
      hint: 'Rays take their colour from what gives them, or all have one.',
    }),
    tint: colour({ default: [1, 1, 1], hint: 'Own colour of the rays, or what colours those of the light.' }),
    black: number({
      default: 0,
      range: [0, 1],
      hard: [0, 1e6],
      step: 0.005,
      hint: 'Rays darker than this are gone: more leaves only the dense ones.',
    }),
    white: number({
      default: 1,
      range: [0.05, 4],
      hard: [1e-3, 1e6],
      step: 0.01,
      hint: 'What becomes a brightness of 1: less makes all rays denser.',
    }),
    gamma: number({
      default: 1,
      range: [0.2, 3],
      hard: [0.01, 100],
      step: 0.01,
      hint: 'More lifts faint rays, less keeps the bright ones.',
    }),
    shimmer: number({
      default: 0,
      range: [0, 1],
      step: 0.01,
      hint: 'How much the rays differ from each other around the origin, as through moving water.',
    }),
    shimmerSize: number({
      default: 8,
      range: [0.5, 40],
      hard: [0.05, 360],
      unit: '°',
      step: 0.1,
      taper: 'log',
      hint: 'Width of the brighter and darker rays.',
    }),
    shimmerSpeed: number({
      default: 0.5,
      range: [0, 4],
      hard: [0, 100],
      unit: '/s',
      step: 0.01,
      hint: 'How often they change in a second of the shot.',
    }),
  },
  varies: ({ shimmer, shimmerSpeed }) => shimmer > 0 && shimmerSpeed > 0,
  profile: ({ length, falloff }) => ({ reach: length, at: (px) => Math.max(0, 1 - px / length) ** falloff }),
  starts: [
    { name: 'Beams in haze', dials: { length: 700, falloff: 1.2, strength: 0.8 } },
    { name: 'Moving water', dials: { length: 900, falloff: 1.5, shimmer: 0.6, shimmerSize: 6, strength: 1 } },
    { name: 'Short burst', dials: { length: 160, falloff: 2, strength: 1.5 } },
    {
      name: 'Dense shafts',
      dials: { length: 1200, falloff: 0.8, black: 0.05, white: 0.6, gamma: 0.9, shimmer: 0.3 },
    },
  ],
  example: { origin: [490, -32], threshold: 0.5, strength: 0.4, shimmer: 0.4 },
  apply({ out, picture, feeds, dials, frame, rate, reduction, whole, kernels, store }) {
    const { shimmer, shimmerSize, shimmerSpeed, tint, black, white, gamma } = dials
    const bright = store.allocate(picture.width, picture.height, 4)
    kernels.brightPass(bright, feeds.light ?? picture, caughtBy(dials))
    const isOwn = dials.colour === 'own'
    if (isOwn || tint.some((v) => v !== 1)) {
      const { matrix, alpha } = linearColour(hueSaturationMatrix(kernels.space, 0, isOwn ? 0 : 1, 1), 0, tint)
      kernels.colourMatrix(bright, bright, matrix, alpha)
    }
    // Noise on a circle, so that it closes; its radius says how often it changes on the way round.
    const radius = 180 / (Math.PI * shimmerSize)
    const time = secondsAt(frame, rate) * shimmerSpeed
    const gainAt = (angle: number) => {
      const noise = noise3(radius * Math.cos(angle), radius * Math.sin(angle), time)
      return Math.max(0, 1 + 1.8 * shimmer * noise)
    }
    castRays(
      out,
      bright,
      {
        origin: dials.origin,
        length: dials.length,
        exponent: dials.falloff,
        gain: (dials.strength * reduction) / depthPx,
        occluder: feeds.occluder,
        gainAt: shimmer > 0 ? gainAt : undefined,
        whole,
      },
      { kernels, store },
    )
    store.release(bright)
    if (black === 0 && white === 1 && gamma === 1) return
    kernels.lightLevels(out, out, black, Math.max(white, black + 1e-3), gamma)
  },
})

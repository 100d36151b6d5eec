import { drawSpikes } from '../kernels/draw-light.ts'
import { hashUnit } from '../kernels/noise.ts'
import { gaussianBlur } from '../kernels/pyramid.ts'
import { catchDials, caughtBy, lightFeeds, tintBy, tintDials } from './catch-light.ts'
import { choice, number } from '../dials/dials.ts'
import { defineEffect } from './effect.ts'

/** A light of one pixel begins its spikes with this share of its own brightness at strength 1. */
const perPixel = 1 / 32

/** How many spikes there are: as many as said, or as an aperture's blades give: 2n for odd n (diffraction of straight edges). */
export function spikeCount(from: 'count' | 'blades', n: number): number {
  const whole = Math.round(n)
  return from === 'blades' && whole % 2 === 1 ? 2 * whole : whole
}

export default defineEffect({
  id: 'star-glare',
  title: 'Star glare',
  family: 'light',
  kind: 'light',
  purpose: 'Fine spikes of light out of small hard lights, as from lens blades or wet lashes.',
  search:
    'sparkle star streak spikes cross diffraction shine twinkle sparkles streaks anamorphic filter glint glints rays lamp metal star-burst',
  law: `Light that is taken: Y is the luminance (or the brightest channel), y = min(Y, ceiling), k = knee · threshold. Excess e = 0 up to threshold − k, (y − threshold + k)² / 4k up to threshold + k, y − threshold beyond. What is taken is colour · e / Y, as it is premultiplied. It is blurred by a Gaussian of σ = max(0.7, softness) px. From every point each spike runs from the point itself to \`length\` px, (1 − t / length)^falloff, times strength / 32 for each pixel of its way; spike i points to turn + 360° · i / number. Red, green and blue reach in proportion to their wavelengths where colours spread. Black beyond the picture.`,
  belongs: {
    after: ['colour'],
    before: ['motion', 'finish'],
    reason: 'Spikes smear with what moves, so they come before motion blur.',
  },
  feeds: lightFeeds,
  dials: {
    ...catchDials,
    from: choice({
      default: 'count',
      options: { count: 'Spikes', blades: 'Blades' },
      label: 'Number of',
      hint: 'Blades of an aperture: an even number gives as many spikes, an odd one twice as many.',
    }),
    number: number({
      default: 6,
      range: [1, 16],
      step: 1,
      hint: 'How many spikes, or blades, there are.',
    }),
    turn: number({
      default: 12,
      range: [0, 360],
      hard: [-36000, 36000],
      unit: '°',
      step: 1,
      hint: 'Direction of the first spike, clockwise from the right.',
      direction: { length: 'length' },
    }),
    length: number({
      default: 160,
      range: [4, 1000],
      hard: [0, 20000],
      unit: 'px',
      step: 1,
      taper: 'log',
      hint: 'How far the spikes reach; how bright they begin does not change.',
    }),
    falloff: number({
      default: 2,
      range: [0, 4],
      hard: [0, 16],
      step: 0.05,
      hint: 'How the light fades along a spike: 0 not at all with a hard end, 1 evenly, more sooner.',
    }),
    uneven: number({
      default: 0.35,
      range: [0, 1],
      step: 0.01,
      hint: 'How much shorter some spikes are: 0 all alike, 1 down to nothing.',
    }),
    pattern: choice({
      default: 'alternate',
      options: { alternate: 'Every other', random: 'At random' },
      label: 'Uneven by',
      hint: 'Which spikes are shorter: every other one, or by chance.',
    }),
    seed: number({
      default: 1,
      range: [1, 100],
      hard: [0, 1e6],
      step: 1,
      hint: 'Another number gives other chances for uneven spikes.',
    }),
    softness: number({
      default: 1,
      range: [0, 12],
      hard: [0, 1000],
      unit: 'px',
      step: 0.1,
      hint: 'Width of the spikes: more is broader and dimmer.',
    }),
    colourSpread: number({
      default: 0.3,
      range: [0, 1],
      step: 0.01,
      hint: 'How far the ends of the spikes part into colours: red reaches farther than blue, by wavelength.',
    }),
    strength: number({
      default: 1,
      range: [0, 8],
      hard: [0, 1e6],
      step: 0.01,
      hint: 'How bright the spikes are. There is no upper end.',
    }),
    ...tintDials,
  },
  profile: ({ length, falloff }) => ({ reach: length, at: (px) => Math.max(0, 1 - px / length) ** falloff }),
  starts: [
    {
      name: 'Rivet sparkle',
      dials: {
        length: 60,
        number: 4,
        falloff: 2.5,
        uneven: 0,
        colourSpread: 0.15,
        turn: 45,
        softness: 0.8,
        strength: 1.5,
      },
    },
    {
      name: 'Seven blades',
      dials: {
        from: 'blades',
        number: 7,
        length: 140,
        falloff: 2,
        uneven: 0.2,
        pattern: 'random',
        colourSpread: 0.5,
      },
    },
    {
      name: 'Wet lashes',
      dials: {
        number: 11,
        pattern: 'random',
        uneven: 0.8,
        length: 220,
        falloff: 3,
        softness: 1.6,
        strength: 1.4,
      },
    },
    {
      name: 'Long streak',
      dials: {
        number: 2,
        turn: 0,
        length: 900,
        falloff: 1.5,
        uneven: 0,
        colourSpread: 0,
        softness: 1.4,
        tint: [0.6, 0.8, 1.2],
        strength: 2,
      },
    },
  ],
  example: { threshold: 1.2, length: 130, strength: 1.2 },
  apply({ out, picture, feeds, dials, reduction, whole, kernels, store }) {
    const workshop = { kernels, store }
    const bright = store.allocate(picture.width, picture.height, 4)
    kernels.brightPass(bright, feeds.light ?? picture, caughtBy(dials))
    const colour = tintBy(dials, kernels.space)
    if (colour) kernels.colourMatrix(bright, bright, colour.matrix, colour.alpha)
    // Finer than this, lines would show the pixels they are made of.
    gaussianBlur(bright, bright, Math.max(0.7, dials.softness), workshop)
    const count = spikeCount(dials.from, dials.number)
    const spikes = Array.from({ length: count }, (_, i) => {
      const less = dials.pattern === 'alternate' ? i % 2 : hashUnit(dials.seed, i)
      return { angle: dials.turn + (360 * i) / count, length: dials.length * (1 - dials.uneven * less) }
    })
    const { falloff: exponent, colourSpread } = dials
    const gain = dials.strength * perPixel * reduction
    drawSpikes(out, bright, spikes, { exponent, gain, colourSpread, from: whole?.from }, workshop)
    store.release(bright)
  },
})

import { hashUnit } from '../kernels/noise.ts'
import { gaussianBlur } from '../kernels/pyramid.ts'
import { inverse, placement } from '../picture/affine.ts'
import { hueSaturationMatrix, linearColour } from '../picture/colour.ts'
import { catchDials, caughtBy, lightFeeds } from './catch-light.ts'
import { colour, number, point } from '../dials/dials.ts'
import { defineEffect } from './effect.ts'

export default defineEffect({
  id: 'lens-reflections',
  title: 'Lens reflections',
  family: 'light',
  kind: 'light',
  purpose: 'A chain of soft, tinted copies of the bright lights, mirrored through the middle of the lens.',
  search: 'ghosts flare lens reflex inner reflection flares optical camera anamorphic optics glass',
  law: `Light that is taken: Y is the luminance (or the brightest channel), y = min(Y, ceiling), k = knee · threshold. Excess e = 0 up to threshold − k, (y − threshold + k)² / 4k up to threshold + k, y − threshold beyond. What is taken is colour · e / Y, as it is premultiplied. Copies are never negative: what an enlargement or a turned hue would take away is 0.`,
  belongs: {
    after: ['colour', 'motion'],
    before: ['finish'],
    reason: 'The lens sees what moves, so its reflections come after motion blur.',
  },
  feeds: lightFeeds,
  dials: {
    ...catchDials,
    middle: point({
      default: [0.5, 0.5],
      hint: 'Middle of the lens, through which the copies are mirrored.',
    }),
    count: number({ default: 5, range: [1, 12], step: 1, hint: 'How many copies there are.' }),
    spread: number({
      default: 1,
      range: [0.1, 3],
      hard: [0.01, 20],
      step: 0.01,
      hint: 'How far the copies lie along the line through the middle.',
    }),
    size: number({
      default: 30,
      range: [2, 200],
      hard: [0, 4000],
      unit: 'px',
      step: 1,
      taper: 'log',
      hint: 'How soft and large each copy is.',
    }),
    variety: number({
      default: 0.6,
      range: [0, 1],
      step: 0.01,
      hint: 'How much the copies differ in size, place and colour.',
    }),
    colourSpread: number({
      default: 0.3,
      range: [0, 1],
      step: 0.01,
      hint: 'How far red and blue part at the edges of the copies.',
    }),
    seed: number({
      default: 1,
      range: [1, 100],
      hard: [0, 1e6],
      step: 1,
      hint: 'Another number, another lens.',
    }),
    strength: number({
      default: 1,
      range: [0, 8],
      hard: [0, 1e6],
      step: 0.01,
      hint: 'How bright the copies are. There is no upper end.',
    }),
    tint: colour({ default: [0.7, 0.85, 1], hint: 'Colours the copies, as the coating of a lens does.' }),
  },
  starts: [
    { name: 'Clean lens', dials: { count: 4, size: 18, strength: 0.6, variety: 0.4 } },
    { name: 'Wet lens', dials: { count: 9, size: 60, strength: 1.4, variety: 1, colourSpread: 0.6 } },
    { name: 'Cool chain', dials: { count: 6, spread: 1.6, size: 30, tint: [0.4, 0.7, 1.2] } },
  ],
  example: { strength: 6, size: 20 },
  apply({ out, picture, feeds, dials, reduction, kernels, store }) {
    const workshop = { kernels, store }
    // Copies are soft: a quarter of the full frame's size holds all there is to see in them.
    const factor = Math.max(1, 4 / reduction)
    const bright = store.allocate(picture.width, picture.height, 4)
    kernels.brightPass(bright, feeds.light ?? picture, caughtBy(dials))
    const [w, h] = [Math.ceil(picture.width / factor), Math.ceil(picture.height / factor)]
    const [small, soft, copy, sum] = [0, 1, 2, 3].map(() => store.allocate(w, h, 4)) as [
      typeof out,
      typeof out,
      typeof out,
      typeof out,
    ]
    kernels.boxReduce(small, bright, factor)
    kernels.fill(sum, 0, 0, 0, 0)
    const middle = dials.middle.map((v) => v / factor) as [number, number]
    for (let i = 0; i < Math.round(dials.count); i++) {
      const chance = (what: number) => (hashUnit(dials.seed, i, what) - 0.5) * 2 * dials.variety
      // From the far side of the middle to the near one, never at the light itself.
      const along = (i + 0.5) / Math.round(dials.count)
      const scale = dials.spread * ((along * 1.6 - 1.1) * (1 + 0.3 * chance(0)))
      const sigma = (dials.size / factor) * 2 ** (1.2 * chance(1)) * 0.5
      gaussianBlur(soft, small, sigma, workshop)
      const gain = (dials.strength * 2 ** chance(2)) / Math.round(dials.count)
      for (let channel = 0; channel < 3; channel++) {
        const part = scale * (1 + 0.06 * dials.colourSpread * (1 - channel))
        const back = inverse(placement(middle, [part, part], 0, [0, 0]))
        if (!back) continue
        kernels.resample(copy, soft, back, 'bilinear')
        const hue = hueSaturationMatrix(kernels.space, 60 * chance(3), 1, 1)
        const only = hue.map((v, k) => (k % 3 === channel ? v : 0))
        const { matrix, alpha } = linearColour(
          only,
          0,
          dials.tint.map((v) => v * gain),
        )
        kernels.colourMatrix(copy, copy, matrix, alpha)
        kernels.addLight(sum, sum, copy, 'add', false)
      }
    }
    const up = inverse(placement([0, 0], [factor, factor], 0, [0, 0]))!
    kernels.resample(out, sum, up, 'cubic')
    // Enlarging by a cubic dips below beside an edge, and a turned hue may take away: there is no negative light.
    kernels.hold(out, out, 0, 3e38, false)
    for (const taken of [bright, small, soft, copy, sum]) store.release(taken)
  },
})

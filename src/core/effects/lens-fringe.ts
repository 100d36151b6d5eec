import type { Wave } from '../kernels/kernels.ts'
import { number, point } from '../dials/dials.ts'
import { defineEffect } from './effect.ts'

/** How far the three colours lie apart on the way from blue (−1) over green (0) to red (+1), and how wide each is. */
const bumps = [0.62, 0, -0.62] as const
const width = 0.62

/**
 * Wavelengths from blue to red and what each gives to red, green and blue: three raised cosines, each of sum 1, alpha their mean. Scaled so that
 * red goes outwards by 1 on the mean, blue inwards by 1, and green nowhere.
 */
export function wavesOf(count: number): Wave[] {
  const places = Array.from({ length: count }, (_, i) => ((i + 0.5) / count) * 2 - 1)
  const raw = places.map((s) =>
    bumps.map((middle) => {
      const t = Math.abs(s - middle) / width
      return t < 1 ? Math.cos((Math.PI / 2) * t) ** 2 : 0
    }),
  )
  const sums = [0, 1, 2].map((c) => raw.reduce((sum, w) => sum + w[c]!, 0))
  const shares = raw.map((w) => w.map((v, c) => v / sums[c]!) as [number, number, number])
  const red = shares.reduce((sum, w, i) => sum + w[0] * places[i]!, 0)
  return places.map((s, i) => {
    const [r, g, b] = shares[i]!
    return { out: s / red, share: [r, g, b, (r + g + b) / 3] }
  })
}

/** So many wavelengths that they lie at most three quarters of a pixel apart; fours of them. */
const waveCount = (amount: number) =>
  Math.min(64, Math.max(8, 4 * Math.ceil((Math.abs(amount) * 3.2) / 0.75 / 4)))

export default defineEffect({
  id: 'lens-fringe',
  title: 'Lens fringe',
  family: 'finish',
  kind: 'filter',
  purpose: 'Parts colours towards the edge of the picture, as lenses do.',
  search:
    'chromatic aberration lateral colour colour color fringing fringe rgb split prism dispersion lens edge red blue offset distort rainbow',
  law: `Each of n wavelengths is the picture drawn away from the centre: its pixel at distance r comes from r − s · amount · (r / R)^growth on the same line, R half the diagonal of the frame; bilinear, edges repeat. n = 8 – 64, at most three quarters of a pixel apart at R. The wavelengths lie evenly from −1 to 1; red, green and blue take them by raised cosines cos²(π/2 · |x − m| / ${width}) about m = ${bumps.join(', ')}, of sum 1, and s is x over the mean of red's, so that red is drawn outwards by amount on the mean, blue inwards by as much and green stays. Alpha takes the mean of the three. What is flat stays as it is; amount 0 leaves the picture as it is, to the bit.`,
  belongs: {
    after: ['light', 'depth', 'motion', 'shade', 'colour', 'matte'],
    before: [],
    reason:
      'The lens is between the scene and the film: light, mist and what moves are in front of it, grain is behind it.',
    isFirm: true,
  },
  reach: ({ amount }) => Math.abs(amount) + 2,
  dials: {
    amount: number({
      default: 1.5,
      range: [-12, 12],
      hard: [-500, 500],
      unit: 'px',
      step: 0.05,
      hint: 'How far red is drawn outwards, and blue inwards, in the corner of the frame; below 0 the other way round.',
    }),
    growth: number({
      default: 2,
      range: [1, 5],
      hard: [1, 12],
      step: 0.1,
      hint: 'How it grows towards the edge: 1 evenly from the centre on, more only near the edge.',
    }),
    centre: point({ default: [0.5, 0.5], hint: 'Where colours meet: the middle of the lens.' }),
  },
  starts: [
    { name: 'Hint', dials: { amount: 0.7, growth: 2.5 } },
    { name: 'Old lens', dials: { amount: 3, growth: 1.6 } },
    { name: 'Prism', dials: { amount: 10, growth: 1 } },
  ],
  example: { amount: 9, growth: 1 },
  apply({
    out,
    picture,
    dials: { amount, growth, centre },
    frameSize = [picture.width, picture.height],
    kernels,
  }) {
    if (amount === 0) {
      out.data.set(picture.data)
      return
    }
    const half = Math.hypot(...frameSize) / 2
    kernels.fringe(out, picture, wavesOf(waveCount(amount)), centre, amount, half, growth)
  },
})

import type { Lamp } from '../kernels/kernels.ts'
import { choice, colour, number, point } from '../dials/dials.ts'
import type { Picture, Rgb } from '../picture/picture.ts'
import { defineEffect } from './effect.ts'

export const mostLamps = 6

const counts = Array.from({ length: mostLamps }, (_, i) => String(i + 1))
/** Values of `lamps` with which lamp n is there. */
const from = (n: number) => ({ dial: 'lamps', is: counts.slice(n - 1) })

/** Dials of one lamp. */
function lampDials<const N extends number>(n: N, at: readonly [number, number]) {
  const when = from(n)
  const name = (what: string) => (n === 1 ? what : `${what} ${n}`)
  const made = {
    at: point({
      default: at,
      label: `Lamp ${n}`,
      when,
      hint: 'Where on the picture the lamp stands: over the surface that is seen there.',
    }),
    distance: number({
      default: 0.5,
      range: [0.01, 20],
      hard: [0, 1e6],
      unit: 'units',
      step: 0.01,
      taper: 'log',
      label: name('Distance'),
      when,
      lever: `at${n}`,
      hint: 'How far it stands off that surface, in units of the position pass.',
    }),
    power: number({
      default: 1,
      range: [0, 20],
      hard: [0, 1e9],
      step: 0.01,
      label: name('Power'),
      when,
      hint: 'How much light falls on a surface that faces it one unit away; at twice the distance a quarter.',
    }),
    colour: colour({ default: [1, 0.82, 0.6], label: name('Colour'), when, hint: 'Colour of its light.' }),
    size: number({
      default: 0.1,
      range: [0, 5],
      hard: [0, 1e6],
      unit: 'units',
      step: 0.01,
      label: name('Size'),
      when,
      hint: 'How large it is: light comes softly round the bend of things.',
    }),
  }
  return Object.fromEntries(Object.entries(made).map(([key, dial]) => [`${key}${n}`, dial])) as {
    [K in keyof typeof made as `${K}${N}`]: (typeof made)[K]
  }
}

/** Three numbers of a picture at a place of it; nothing where that is no place of it. */
function valueAt({ width, height, data }: Picture, [x, y]: readonly [number, number]): Rgb {
  const [px, py] = [
    Math.min(width - 1, Math.max(0, Math.floor(x))),
    Math.min(height - 1, Math.max(0, Math.floor(y))),
  ]
  const i = (py * width + px) * 4
  return [data[i]!, data[i + 1]!, data[i + 2]!]
}

export default defineEffect({
  id: 'cast-light',
  title: 'Cast light',
  family: 'light',
  kind: 'light',
  purpose: 'Puts lamps into the rendered scene: what glows then lights what stands around it.',
  search:
    'relight relighting lamp point light bulb lantern illuminate illumination lighting add a light spot bounce position normal spill glow on surfaces interactive fire torch',
  law: `Each lamp stands at P(q) + distance · N(q), q the pixel it is put on, P the position pass, N the normal of length 1. A surface gets surface · colour · power · f / max(d, nearest)², f = max(0, (cos θ + w) / (1 + w)), w = size / (size + d), d its distance from the lamp, θ between its normal and the way to the lamp: inverse square and Lambert's cosine. Lamps add. Where the normal is shorter than 10⁻⁶ or the position is 0, 0, 0 there is no surface and no light, and a lamp that is put there gives none. The surface's colour is the surface feed's, or the picture's own, as premultiplied.`,
  belongs: {
    after: ['colour'],
    before: ['depth', 'motion', 'finish'],
    reason: 'Light on surfaces lies in the scene: mist hides it and it smears with what moves.',
  },
  feeds: {
    position: {
      kind: 'position',
      required: true,
      hint: 'Where surfaces stand in the scene: the position pass.',
    },
    normal: {
      kind: 'normal',
      required: true,
      hint: 'Which way surfaces face: the normal pass, in the same axes as the positions.',
    },
    surface: {
      kind: 'light',
      required: false,
      without: 'its own picture',
      hint: 'The colour of surfaces without light, where the renderer wrote it. Without it the picture itself: what is dark there stays dark.',
    },
  },
  dials: {
    lamps: choice({
      default: '1',
      options: { '1': '1', '2': '2', '3': '3', '4': '4', '5': '5', '6': '6' },
      hint: 'How many lamps there are.',
    }),
    ...lampDials(1, [0.5, 0.5]),
    ...lampDials(2, [0.3, 0.5]),
    ...lampDials(3, [0.7, 0.5]),
    ...lampDials(4, [0.5, 0.3]),
    ...lampDials(5, [0.5, 0.7]),
    ...lampDials(6, [0.2, 0.2]),
    nearest: number({
      default: 0.05,
      range: [0.001, 5],
      hard: [1e-6, 1e6],
      unit: 'units',
      step: 0.001,
      taper: 'log',
      hint: 'Surfaces nearer than this get no more light: keeps what a lamp touches from burning out.',
    }),
  },
  starts: [
    { name: 'Lantern', dials: { distance1: 0.4, power1: 0.6, colour1: [1, 0.7, 0.4], size1: 0.15 } },
    { name: 'Wide glow', dials: { distance1: 2, power1: 6, colour1: [0.7, 0.85, 1], size1: 1 } },
  ],
  example: { at1: [560, 380], distance1: 0.9, power1: 5, size1: 0.3 },
  reach: () => 0,
  readsAnywhere: ['position', 'normal'],
  apply({ out, picture, feeds, dials, anywhere = { feeds, from: [0, 0] }, kernels }) {
    const { position, normal } = feeds
    const { position: places, normal: ways } = anywhere.feeds
    const values = dials as unknown as Record<string, never>
    const lamps = counts.slice(0, Number(dials.lamps)).flatMap((n): Lamp[] => {
      if (!places || !ways) return []
      const [x, y] = values[`at${n}`]! as readonly [number, number]
      const place = [x + anywhere.from[0], y + anywhere.from[1]] as const
      const [p, facing] = [valueAt(places, place), valueAt(ways, place)]
      const length = Math.hypot(...facing)
      if (!(length > 1e-6) || p.every((v) => v === 0)) return []
      const [distance, power] = [values[`distance${n}`]! as number, values[`power${n}`]! as number]
      const colours = values[`colour${n}`]! as Rgb
      return [
        {
          at: p.map((v, c) => v + (distance * facing[c]!) / length) as unknown as Rgb,
          light: colours.map((v) => v * power) as unknown as Rgb,
          limit: dials.nearest,
          size: values[`size${n}`]!,
        },
      ]
    })
    if (lamps.length === 0 || !position || !normal) kernels.fill(out, 0, 0, 0, 0)
    else kernels.castLight(out, position, normal, feeds.surface ?? picture, lamps)
  },
})

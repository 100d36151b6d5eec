import { drawSpikes } from '../kernels/draw-light.ts'
import { gaussianBlur, radius95, spreadLight, spreadProfile } from '../kernels/pyramid.ts'
import { choice, colour, number } from '../dials/dials.ts'
import { defineEffect } from './effect.ts'

export default defineEffect({
  id: 'matte-glow',
  title: 'Matte glow',
  family: 'light',
  kind: 'light',
  purpose: 'Light around, or inside, a shape: a drawing, an object or whatever a matte says.',
  search: 'outside inside aura halo rim drawn shape object alpha neon outline character around',
  law: `Light L of the shape S (fed matte or own alpha, held in 0–1): tint · S, or the picture's light times tint (times S where one is fed). Round: spread as Bloom is, a sum of Gaussians whose widest has 95 % of its light within radius px, times strength. Along an angle (clockwise from east): spikes of radius px whose light falls as (1 − t)^falloff, so gained that a wide shape begins as bright as it is, times strength. Outside: that, times 1 − S. Inside: the light of 1 − S spread the same way, times the shape's own light. Core: core · L, softened by a Gaussian of σ = core softness px. Beyond the frame there is no light.`,
  belongs: {
    after: ['colour', 'shade', 'matte'],
    before: ['motion', 'finish'],
    reason: 'The shape should be finished before it shines, and its glow smears with it.',
  },
  feeds: {
    shape: {
      kind: 'matte',
      required: false,
      without: 'its own alpha',
      hint: 'What shines: a drawn shape, objects, a pass or a lane. Without it, the alpha of the step’s own picture.',
    },
  },
  reach: ({ spread, radius, coreSoftness }) =>
    (spread === 'angle' ? radius : 2 * radius) + 4 * coreSoftness + 4,
  dials: {
    side: choice({
      default: 'outside',
      options: { outside: 'Outside', inside: 'Inside', both: 'Both' },
      hint: 'Outside it surrounds the shape; inside it comes in from its edge.',
    }),
    spread: choice({
      default: 'round',
      options: { round: 'Round', angle: 'Along an angle' },
      hint: 'Evenly to all sides, or drawn out one way.',
    }),
    radius: number({
      default: 60,
      range: [1, 600],
      hard: [0, 20000],
      unit: 'px',
      step: 1,
      taper: 'log',
      hint: 'How far the glow reaches.',
    }),
    tightness: number({
      default: 0.5,
      range: [0, 1],
      step: 0.01,
      label: 'Wide ↔ tight',
      when: { dial: 'spread', is: 'round' },
      hint: 'Less puts the light far out as a veil, more keeps it close to the edge.',
    }),
    angle: number({
      default: 90,
      range: [0, 360],
      hard: [-36000, 36000],
      unit: '°',
      step: 1,
      hint: 'Which way a glow along an angle runs, clockwise from the right: 90 is down.',
      direction: { length: 'radius' },
      when: { dial: 'spread', is: 'angle' },
    }),
    falloff: number({
      default: 1.5,
      range: [0, 4],
      hard: [0, 16],
      step: 0.05,
      when: { dial: 'spread', is: 'angle' },
      hint: 'How a glow along an angle fades: 0 not at all with a hard end, 1 evenly, more sooner.',
    }),
    strength: number({
      default: 1,
      range: [0, 8],
      hard: [0, 1e6],
      step: 0.01,
      hint: 'How bright the glow is. There is no upper end.',
    }),
    core: number({
      default: 0,
      range: [0, 4],
      hard: [0, 1e6],
      step: 0.01,
      hint: 'How much the shape itself shines.',
    }),
    coreSoftness: number({
      default: 0,
      range: [0, 100],
      hard: [0, 4000],
      unit: 'px',
      step: 0.5,
      hint: 'How soft the edge of the shining shape is; 0 is as hard as the shape.',
    }),
    colour: choice({
      default: 'source',
      options: { source: 'From the picture', own: 'Own' },
      hint: 'The glow takes its colour from what the shape covers, or has one of its own.',
    }),
    tint: colour({
      default: [1, 1, 1],
      hint: 'Own colour of the glow, or what colours that of the picture.',
    }),
  },
  profile: ({ spread, radius, falloff, tightness }) =>
    spread === 'angle'
      ? { reach: radius, at: (px) => Math.max(0, 1 - px / radius) ** falloff }
      : spreadProfile(radius / radius95, (tightness - 0.5) * 4),
  starts: [
    { name: 'Soft halo', dials: { radius: 70, tightness: 0.4, strength: 1 } },
    { name: 'Thin rim', dials: { radius: 10, tightness: 0.8, strength: 2 } },
    { name: 'Lit from within', dials: { side: 'inside', radius: 40, strength: 1.2, core: 0.2 } },
    {
      name: 'Sinking light',
      dials: { spread: 'angle', angle: 90, radius: 180, falloff: 1.6, strength: 1.5 },
    },
  ],
  example: { strength: 3, radius: 60 },
  apply({ out, picture, feeds, dials, reduction, whole, kernels, store }) {
    const { width, height } = picture
    const { side, radius, tint } = dials
    const workshop = { kernels, store }
    const isOwn = dials.colour === 'own'
    const shape = feeds.shape ?? store.allocate(width, height, 1)
    if (!feeds.shape) kernels.matteOf(shape, picture, 'alpha', false)
    const [source, light] = [store.allocate(width, height, 4), store.allocate(width, height, 4)]
    /** The light of the shape, or of all around it. The picture's own alpha is in its colour already. */
    const lit = (target: typeof out, isAround: boolean) => {
      if (isOwn || isAround) {
        kernels.fill(target, ...(isAround ? ([1, 1, 1] as const) : tint), 0)
        kernels.weigh(target, target, shape, isAround ? 1 : 0, isAround ? -1 : 1)
        return
      }
      kernels.gains(target, picture, ...tint, 0)
      if (feeds.shape) kernels.weigh(target, target, shape, 0, 1)
    }
    const spread = (src: typeof out) => {
      if (dials.spread === 'round') {
        const tight = (dials.tightness - 0.5) * 4
        spreadLight(light, src, {
          widest: Math.max(0.05, radius / radius95),
          tight,
          gain: dials.strength,
          reduction,
          workshop,
        })
        return
      }
      gaussianBlur(src, src, 0.7, workshop)
      // A wide shape begins its glow as bright as it is.
      const gain = (dials.strength * (dials.falloff + 1)) / Math.max(1, radius)
      const spikes = [{ angle: dials.angle, length: radius }]
      const shape = { exponent: dials.falloff, gain, colourSpread: 0, from: whole?.from }
      drawSpikes(light, src, spikes, shape, workshop)
    }
    kernels.fill(out, 0, 0, 0, 0)
    if (side !== 'inside') {
      lit(source, false)
      spread(source)
      kernels.weigh(out, light, shape, 1, -1)
    }
    if (side !== 'outside') {
      // From the edge inwards: light of all around, seen where the shape is, in the colour of what is there.
      lit(source, true)
      spread(source)
      const channel = store.allocate(width, height, 1)
      kernels.matteOf(channel, light, 'red', false)
      lit(source, false)
      kernels.weigh(source, source, channel, 0, 1)
      kernels.addLight(out, out, source, 'add', false)
      store.release(channel)
    }
    if (dials.core > 0) {
      lit(source, false)
      gaussianBlur(source, source, dials.coreSoftness, workshop)
      kernels.gains(source, source, dials.core, dials.core, dials.core, 0)
      kernels.addLight(out, out, source, 'add', false)
    }
    for (const taken of [source, light]) store.release(taken)
    if (!feeds.shape) store.release(shape)
  },
})

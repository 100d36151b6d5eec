import { glare, glareSpectrum, glareVeil, type Eye } from '../kernels/glare.ts'
import { hueSaturationMatrix, linearColour } from '../picture/colour.ts'
import type { Rgb } from '../picture/picture.ts'
import { radius95, spreadLight, spreadProfile } from '../kernels/pyramid.ts'
import { catchDials, caughtBy, lightFeeds, tintBy, tintDials } from './catch-light.ts'
import { choice, colour, number } from '../dials/dials.ts'
import { defineEffect } from './effect.ts'

/** Of a brown eye. */
const pigment = 0.5

/** The veil over the distance, for a frame of 1920 pixels; its fourth root, so that the long tail can be seen. */
function eyeProfile(eye: Eye) {
  const [first, reach] = [glareVeil(0, eye), 200]
  return { reach, at: (px: number) => (glareVeil((px * eye.field) / 1920, eye) / first) ** 0.25 }
}

export default defineEffect({
  id: 'bloom',
  title: 'Bloom',
  family: 'light',
  kind: 'light',
  purpose: 'Soft light around bright things, as in a lens, in haze or in water.',
  search:
    'glow halo soft light around bright things gleam shine dreamy diffusion promist highlights lamps blown bleeding radiance',
  law: `Light that is taken: Y is the luminance (or the brightest channel), y = min(Y, ceiling), k = knee · threshold. Excess e = 0 up to threshold − k, (y − threshold + k)² / 4k up to threshold + k, y − threshold beyond. What is taken is colour · e / Y, as it is premultiplied. With k = 0 the edge is hard. *soft*: the taken light spread by a sum of Gaussians whose widest holds 95 % within \`reach\`; black beyond the picture, energy ∝ strength. *eye*: spread by the CIE 146:2002 glare equation, \`10/θ³ + [5/θ² + 0.1 p/θ]·[1 + (A/62.5)⁴] + 0.0025 p\`, θ from \`field\`, brown eyes (p = 0.5), scaled so that its sum over half the longer side is 1; nearer than 0.1° it stays as it is at 0.1°.`,
  belongs: {
    after: ['colour'],
    before: ['motion', 'finish'],
    reason: 'Light smears with what moves, so it comes before motion blur.',
  },
  feeds: lightFeeds,
  dials: {
    ...catchDials,
    profile: choice({
      default: 'soft',
      options: { soft: 'Soft', eye: 'As an eye sees it' },
      hint: 'Soft is a sum of Gaussians. The eye’s spread is that of light scattered in it (CIE glare); slower, and without a reach.',
    }),
    field: number({
      default: 40,
      range: [5, 120],
      hard: [0.1, 360],
      unit: '°',
      step: 1,
      label: 'Field of view',
      hint: 'For the eye: how wide the picture is to it. Less makes the veil wider on the picture.',
      when: { dial: 'profile', is: 'eye' },
    }),
    age: number({
      default: 30,
      range: [20, 80],
      hard: [0, 120],
      unit: 'years',
      step: 1,
      hint: 'For the eye: an older one scatters more light, farther out.',
      when: { dial: 'profile', is: 'eye' },
    }),
    farTint: colour({
      default: [1, 1, 1],
      hint: 'For the eye: colours the light that is scattered far, as tint does that which stays near.',
      when: { dial: 'profile', is: 'eye' },
    }),
    reach: number({
      default: 120,
      range: [2, 1000],
      hard: [0.1, 20000],
      unit: 'px',
      step: 1,
      taper: 'log',
      when: { dial: 'profile', is: 'soft' },
      hint: 'Radius that holds 95 % of the widest glow. More fills the frame, less hugs the source.',
    }),
    tightness: number({
      default: 0.5,
      range: [0, 1],
      step: 0.01,
      label: 'Wide ↔ tight',
      when: { dial: 'profile', is: 'soft' },
      hint: 'Less puts the light far out as a veil, more keeps it close as a gleam. The amount of light stays.',
    }),
    strength: number({
      default: 1,
      range: [0, 4],
      hard: [0, 1e6],
      step: 0.01,
      hint: 'How much of the light that passes is spread. There is no upper end.',
    }),
    ...tintDials,
  },
  profile: ({ profile, reach, tightness, field, age }) =>
    profile === 'soft'
      ? spreadProfile(reach / radius95, (tightness - 0.5) * 4)
      : eyeProfile({ field, age, pigment }),
  prepare: ({ profile, field, age }, { width, height, frameWidth, whole }) =>
    profile === 'eye'
      ? {
          key: `eye ${field} ${age} ${width}x${height} ${frameWidth} ${whole?.size.join() ?? ''}`,
          make: (workshop) =>
            glareSpectrum(width, height, { field, age, pigment }, frameWidth, workshop, whole?.size),
        }
      : undefined,
  starts: [
    { name: 'Thin haze', dials: { threshold: 0.6, reach: 400, tightness: 0.2, strength: 0.5 } },
    { name: 'Close gleam', dials: { threshold: 1, reach: 40, tightness: 0.8, strength: 1 } },
    {
      name: 'Neon',
      dials: { threshold: 0.3, measure: 'channel', reach: 120, saturation: 1.5, strength: 1.6 },
    },
    { name: 'Full of light', dials: { threshold: 0, reach: 900, tightness: 0.3, strength: 0.8 } },
  ],
  example: { threshold: 0.3, strength: 1.2 },
  apply({ out, picture, feeds, dials, prepared, reduction, whole, kernels, store }) {
    if (dials.profile === 'eye' && prepared) {
      const { strength, saturation, tint, farTint } = dials
      kernels.brightPass(out, feeds.light ?? picture, caughtBy(dials))
      if (saturation !== 1) {
        const { matrix, alpha } = linearColour(hueSaturationMatrix(kernels.space, 0, saturation, 1), 0)
        kernels.colourMatrix(out, out, matrix, alpha)
      }
      const stronger = ([r, g, b]: Rgb): Rgb => [r * strength, g * strength, b * strength]
      glare(out, out, prepared, stronger(tint), stronger(farTint), { kernels, store }, whole?.size)
      return
    }
    spreadLight(out, feeds.light ?? picture, {
      widest: dials.reach / radius95,
      tight: (dials.tightness - 0.5) * 4,
      gain: dials.strength,
      reduction,
      caught: caughtBy(dials),
      colour: tintBy(dials, kernels.space),
      workshop: { kernels, store },
    })
  },
})

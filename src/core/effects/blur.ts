import { lineBlur } from '../kernels/line-blur.ts'
import { gaussianBlur } from '../kernels/pyramid.ts'
import { choice, number, point } from '../dials/dials.ts'
import { defineEffect } from './effect.ts'

export default defineEffect({
  id: 'blur',
  title: 'Blur',
  family: 'shade',
  kind: 'filter',
  purpose: 'Softens the picture: evenly, along an angle, towards a point or around one.',
  search:
    'gaussian soften soft defocus smooth out-of-focus directional zoom spin motion streak wipe softer radial rotate rotation',
  law: `On premultiplied colour and alpha; beyond the picture the pixels of its edge repeat. Evenly: a Gaussian of standard deviation σ = radius px, cut off at 3.5 σ; wide ones are made on halved pictures: within 0.003 of the peak of the true response. Along an angle: the mean over length px of the line through each pixel, half of it to each side; the picture is laid on lines one pixel apart, each pixel of a line counts by the share of it that lies within, found between rows evenly and brought back between lines by Catmull–Rom. Towards a point: the mean over 1 − amount / 200 to 1 + amount / 200 of the way from the point, and around it over the arc of turn degrees, half of it to each side; both in steps of at most a pixel (at most 1024), bilinear.`,
  belongs: { after: ['colour'], before: ['light', 'finish'], reason: 'What is soft should be lit as it is.' },
  reach: ({ by, radius, length }) =>
    by === 'even' ? 4 * radius + 2 : by === 'angle' ? length / 2 + 3 : undefined,
  dials: {
    by: choice({
      default: 'even',
      options: { even: 'Evenly', angle: 'Along an angle', zoom: 'Towards a point', spin: 'Around a point' },
      label: 'Softens',
      hint: 'To all sides alike; or as what passes by, comes nearer or turns.',
    }),
    radius: number({
      default: 8,
      range: [0, 200],
      hard: [0, 4000],
      unit: 'px',
      step: 0.5,
      taper: 'log',
      when: { dial: 'by', is: 'even' },
      hint: 'Standard deviation of the Gaussian: more is softer; 0 leaves the picture as it is.',
    }),
    angle: number({
      default: 0,
      range: [0, 360],
      hard: [-36000, 36000],
      unit: '°',
      step: 1,
      direction: { length: 'length' },
      when: { dial: 'by', is: 'angle' },
      hint: 'The line it is smeared along; clockwise from the right.',
    }),
    length: number({
      default: 40,
      range: [0, 400],
      hard: [0, 8000],
      unit: 'px',
      step: 1,
      taper: 'log',
      when: { dial: 'by', is: 'angle' },
      hint: 'How far it is smeared, half to each side.',
    }),
    centre: point({
      default: [0.5, 0.5],
      when: { dial: 'by', is: ['zoom', 'spin'] },
      hint: 'The point that stays sharp.',
    }),
    amount: number({
      default: 12,
      range: [0, 100],
      hard: [0, 200],
      unit: '%',
      step: 0.5,
      label: 'Zoom',
      when: { dial: 'by', is: 'zoom' },
      hint: 'How far it is smeared, of the way to the point.',
    }),
    turn: number({
      default: 8,
      range: [0, 90],
      hard: [0, 360],
      unit: '°',
      step: 0.5,
      when: { dial: 'by', is: 'spin' },
      hint: 'How far it is turned, half to each side.',
    }),
  },
  starts: [
    { name: 'Passing by', dials: { by: 'angle', length: 60, angle: 0 } },
    { name: 'Rushing in', dials: { by: 'zoom', amount: 20 } },
    { name: 'Turning', dials: { by: 'spin', turn: 12 } },
  ],
  example: { by: 'even', radius: 7 },
  apply({ out, picture, dials, kernels, store }) {
    const { by, centre } = dials
    if (by === 'angle') lineBlur(out, picture, dials.angle, dials.length, { kernels, store })
    else if (by === 'zoom') kernels.aroundPoint(out, picture, 'distance', centre, dials.amount / 200)
    else if (by === 'spin') kernels.aroundPoint(out, picture, 'turn', centre, (dials.turn * Math.PI) / 360)
    else gaussianBlur(out, picture, dials.radius, { kernels, store })
  },
})

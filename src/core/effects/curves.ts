import { axisToLight, curveThrough, lightToAxis, type CurvePoint } from '../picture/tone-curve.ts'
import { curve } from '../dials/dials.ts'
import { defineEffect } from './effect.ts'
import { preparedTable, toneTableOf } from './tone-table.ts'

const straight = [
  [0, 0],
  [1, 1],
] as const
const tones = (label: string, hint: string) => curve({ default: straight, axis: 'light', label, hint })

type Tone = (v: number) => number

/** Light through a curve whose points lie on the axis of light. */
export function toneThrough(points: readonly CurvePoint[]): Tone {
  const through = curveThrough(points)
  return (v) => axisToLight(through(lightToAxis(v)))
}

type Curves = Readonly<Record<'red' | 'green' | 'blue' | 'luminance', readonly CurvePoint[]>>

function tableOf(d: Curves): Float32Array {
  const [red, green, blue, all] = [d.red, d.green, d.blue, d.luminance].map(toneThrough) as [
    Tone,
    Tone,
    Tone,
    Tone,
  ]
  return toneTableOf((v) => [red(v), green(v), blue(v), all(v)])
}

export default defineEffect({
  id: 'curves',
  title: 'Curves',
  family: 'colour',
  kind: 'filter',
  purpose:
    'Tones through curves: all of them by luminance, or red, green and blue each. Light above 1 can be held back softly.',
  search:
    'curve contrast tone rgb shadows highlights lift roll-off shoulder toe contrasty punch s-curve gamma midtones blacks whites fade matte look',
  law: `Points lie on the axis u = log₂(1 + 255 v) / 8 of straight (unpremultiplied) light v, mirrored below 0. Between them a monotone cubic (Fritsch and Carlson 1980). Beyond the first and the last point it goes on straight along that axis, as steep as it ends but at most 1: what is brighter than the last point keeps its ratio to it at most, so \`[[0,0],[0.1,0.9]]\` makes 1 into about 85. From 256 on light is scaled in proportion. Red, green and blue first, then luminance, with which colour is scaled.`,
  belongs: { after: [], before: ['light'], reason: 'Light taken from a picture follows its colour.' },
  reach: () => 0,
  dials: {
    luminance: tones('Luminance', 'Brightness; hue and saturation of the light stay.'),
    red: tones('Red', 'The red channel alone.'),
    green: tones('Green', 'The green channel alone.'),
    blue: tones('Blue', 'The blue channel alone.'),
  },
  starts: [
    {
      name: 'Soft contrast',
      dials: {
        luminance: [
          [0, 0],
          [0.45, 0.4],
          [0.85, 0.88],
          [1, 1],
        ],
      },
    },
    {
      name: 'Hold the highlights',
      dials: {
        luminance: [
          [0, 0],
          [0.85, 0.85],
          [1.5, 1.02],
        ],
      },
    },
    {
      name: 'Lifted blacks',
      dials: {
        luminance: [
          [0, 0.12],
          [0.5, 0.52],
          [1, 1],
        ],
      },
    },
  ],
  example: {
    luminance: [
      [0, 0],
      [0.5, 0.42],
      [0.85, 0.95],
      [1, 1],
    ],
    blue: [
      [0, 0.1],
      [1, 1],
    ],
  },
  prepare: (d) => ({
    key: JSON.stringify([d.red, d.green, d.blue, d.luminance]),
    make: preparedTable(() => tableOf(d)),
  }),
  apply({ out, picture, dials, prepared, kernels }) {
    kernels.toneTable(out, picture, prepared?.data ?? tableOf(dials), 'tones')
  },
})

import { flag, number } from '../dials/dials.ts'
import { defineEffect } from './effect.ts'

const channels = ['Red', 'Green', 'Blue'] as const
const row = (
  what: string,
  from: number,
  range: readonly [number, number],
  hard: readonly [number, number],
  hint: string,
) =>
  channels.map((channel) =>
    number({ default: from, range, hard, step: 0.005, label: `${what} ${channel.toLowerCase()}`, hint }),
  ) as [ReturnType<typeof number>, ReturnType<typeof number>, ReturnType<typeof number>]

const [slopeRed, slopeGreen, slopeBlue] = row(
  'Slope',
  1,
  [0, 2],
  [0, 1e4],
  'Multiplies the channel: more is brighter in its lights.',
)
const [offsetRed, offsetGreen, offsetBlue] = row(
  'Offset',
  0,
  [-0.2, 0.2],
  [-100, 100],
  'Added to the channel: more lifts its darks.',
)
const [powerRed, powerGreen, powerBlue] = row(
  'Power',
  1,
  [0.2, 3],
  [0.01, 100],
  'Bends what lies between: less than 1 is brighter, more is darker.',
)

export default defineEffect({
  id: 'cdl-grade',
  title: 'CDL grade',
  family: 'colour',
  kind: 'filter',
  purpose:
    'The colour decision list of the ASC: slope, offset and power of each channel, then saturation; as .cdl and .ccc files carry it.',
  search:
    'asc cdl slope offset power saturation grade lift gain gamma primary grading colour correction primaries wheels',
  law: `out = (in · slope + offset)^power on straight colour, power only above 0; then saturation about the luminance of the working space (ASC CDL v1.2, which has that of BT.709). Light without cover gets no offset.`,
  belongs: { after: [], before: ['light'], reason: 'Light taken from a picture follows its colour.' },
  reach: () => 0,
  dials: {
    slopeRed,
    slopeGreen,
    slopeBlue,
    offsetRed,
    offsetGreen,
    offsetBlue,
    powerRed,
    powerGreen,
    powerBlue,
    saturation: number({
      default: 1,
      range: [0, 2],
      hard: [0, 100],
      step: 0.01,
      hint: 'About the luminance: 0 is grey, above 1 is more vivid.',
    }),
    hold: flag({
      default: false,
      label: 'Hold in 0–1',
      hint: 'On: as the list was made for film scans, nothing leaves 0–1. Off: light above 1 goes on.',
    }),
  },
  example: { slopeRed: 1.3, offsetBlue: 0.03, powerGreen: 1.15, saturation: 1.2 },
  apply({ out, picture, dials: d, kernels }) {
    kernels.decisionList(out, picture, {
      slope: [d.slopeRed, d.slopeGreen, d.slopeBlue],
      offset: [d.offsetRed, d.offsetGreen, d.offsetBlue],
      power: [d.powerRed, d.powerGreen, d.powerBlue],
      saturation: d.saturation,
      isHeld: d.hold,
    })
  },
})

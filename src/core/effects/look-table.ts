import { throughProcess } from '../colour/process.ts'
import { choice } from '../dials/dials.ts'
import { defineEffect } from './effect.ts'

const encodings = { linear: 'Linear light', srgb: 'sRGB-encoded' } as const

export default defineEffect({
  id: 'look-table',
  title: 'Look table',
  family: 'colour',
  kind: 'filter',
  purpose:
    'Colours through a table or a process list: lines for each channel, a cube (.cube), or what a Common LUT Format file says (.clf).',
  search:
    'lut clf transform common lut format aces cube 3d 1d look film emulation table grade load file print preset',
  law: `Straight colour, sRGB-encoded first where the table takes that (mirrored below 0), is brought from the table's ends to its entries and held at them. Lines: each channel between two entries; a cube: tetrahedral between four. A process list (Common LUT Format 3.0): node by node in double precision, as its file says, see docs/colour.md. Decoded again where it gives sRGB; alpha stays.`,
  belongs: {
    after: ['colour'],
    before: ['light'],
    reason: 'Light taken from a picture follows its colour; what most tables give is for a display.',
  },
  feeds: {
    table: { kind: 'table', required: true, hint: 'A .cube or .clf file that was brought in.' },
  },
  reach: () => 0,
  dials: {
    takes: choice({
      default: 'srgb',
      options: encodings,
      label: 'Takes',
      hint: 'What the table was made for: most looks take sRGB-encoded values, technical tables say so.',
    }),
    gives: choice({
      default: 'srgb',
      options: encodings,
      label: 'Gives',
      hint: 'What its values are: they become linear light again.',
    }),
  },
  apply({ out, picture, feeds: { table }, passes, dials: { takes, gives }, kernels }) {
    const { table: detail, process } = passes?.table?.detail ?? {}
    if (table && process) {
      throughProcess(
        out.data,
        picture.data,
        process,
        { data: table.data, stride: 4 },
        { gain: 1, takesEncoded: takes === 'srgb', givesEncoded: gives === 'srgb' },
      )
      return
    }
    if (!table || !detail) {
      kernels.gains(out, picture, 1, 1, 1, 1)
      return
    }
    const { size, cube: isCube, from, to } = detail
    kernels.lookUp(out, picture, {
      table,
      size,
      isCube,
      from,
      to,
      gain: 1,
      takesEncoded: takes === 'srgb',
      givesEncoded: gives === 'srgb',
    })
  },
})

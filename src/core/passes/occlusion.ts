import { asGrey } from './draw.ts'
import { definePassKind } from './pass-kind.ts'

export default definePassKind({
  kind: 'occlusion',
  use: 'Where surfaces stand close: grounds things, or is a matte for dirt and shade.',
  named: { rank: 7, by: [/occlusion|^ao$|^amb_?occ/] },
  joins: 'multiply',
  filter: () => 'mean',
  draw: asGrey,
})

import { asGrey } from './draw.ts'
import { definePassKind } from './pass-kind.ts'

export default definePassKind({
  kind: 'shadow',
  use: 'Where light is kept off: darkens, or is a matte for shade.',
  named: { rank: 8, by: [/shadow/] },
  joins: 'multiply',
  filter: () => 'mean',
  draw: asGrey,
})

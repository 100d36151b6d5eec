import { asGrey } from './draw.ts'
import { definePassKind } from './pass-kind.ts'

export default definePassKind({
  kind: 'matte',
  use: 'Where something is: limits a step to it.',
  named: { rank: 9, by: [/matte|mask|alpha|^holdout|^coverage$|^opacity$/] },
  isForMattes: true,
  filter: () => 'mean',
  draw: asGrey,
})

import { asColour } from './draw.ts'
import { definePassKind } from './pass-kind.ts'

export default definePassKind({
  kind: 'table',
  use: 'A table of colours: feeds a look table, or the view.',
  isData: true,
  isForMattes: true,
  filter: () => 'pick',
  draw: asColour,
})

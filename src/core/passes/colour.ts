import { asColour } from './draw.ts'
import { definePassKind } from './pass-kind.ts'

export default definePassKind({
  kind: 'colour',
  use: 'The picture itself: the source of a lane.',
  named: { rank: 11, by: [/beauty|rgba?$|^colou?r$|combined|composite|^main$|albedo|texture|^uv$/] },
  isLight: true,
  filter: () => 'mean',
  draw: asColour,
})

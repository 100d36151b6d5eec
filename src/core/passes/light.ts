import { asColour } from './draw.ts'
import { definePassKind } from './pass-kind.ts'

export default definePassKind({
  kind: 'light',
  use: 'Light by itself: feeds bloom and rays, so that only what gives light glows.',
  named: {
    rank: 10,
    by: [
      /emiss|emit|light|glow|reflect|refract|spec|diff|transmission|transmit|translucen|gloss|self_?ill|illumin|sss|subsurface|gi$|caustic|coat|sheen|volume|incandescence|direct/,
    ],
  },
  isLight: true,
  joins: 'plus',
  filter: () => 'mean',
  draw: asColour,
})

import { byte, grey, place } from './draw.ts'
import { definePassKind } from './pass-kind.ts'

export default definePassKind({
  kind: 'other',
  use: 'Not recognised; say what it is to use it.',
  filter: () => 'pick',
  draw: ({ data, channels }, low, high) =>
    channels === 1
      ? (i) => grey(byte(place(data[i]!, low, high)))
      : (i) => [byte(data[i]!), byte(data[i + 1]!), byte(data[i + 2]!)],
})

import { hueCodes, percentiles } from './draw.ts'
import { definePassKind } from './pass-kind.ts'

export default definePassKind({
  kind: 'motion',
  use: 'How far things move to the next frame: motion blur.',
  named: {
    rank: 6,
    by: [/motion|velocity|^vectors?$|^speed$|(^|_)flow$|^mv$|^(forward|backward)s?$|^(fwd|bwd)(_|$)/],
  },
  isData: true,
  isForMattes: true,
  filter: () => 'pick',
  // The way is the hue, the length the brightness.
  draw(picture) {
    const { data } = picture
    const reach = Math.max(...[0, 1].map((c) => percentiles(picture, c, Math.abs)[1]), 1e-6)
    return (i) => {
      const [x, y] = [data[i]!, data[i + 1]!]
      return hueCodes(Math.atan2(y, x) / (2 * Math.PI) + 1, Math.hypot(x, y) / reach)
    }
  },
})

import { idColour } from './draw.ts'
import { definePassKind } from './pass-kind.ts'

export default definePassKind({
  kind: 'ids',
  use: 'Which object covers the pixel: mattes of single objects.',
  named: {
    rank: 1,
    by: [
      /crypto(matte|object|material|asset)?/,
      /(object|material|mat|asset|instance|primitive|obj|mesh|pass|render)_?(id|index|idx|ids|num|number)s?$|^(id|index)_?(object|material|ob|ma)|^ids?$|^index_?(ob|ma)$|^objects?$|^puzzle/,
    ],
  },
  isData: true,
  isForMattes: true,
  isBits: true,
  detail: () => ({ masks: 'plain' }),
  filter: () => 'pick',
  draw({ data, channels }) {
    const bits = new Uint32Array(data.buffer, data.byteOffset, data.length)
    // Rank pairs of an ID and its cover where there are four channels; else the value itself is the ID.
    const cover = (i: number) => (channels === 4 ? Math.min(1, Math.max(0, data[i + 1]!)) : 1)
    return (i) => (data[i] === 0 ? [0, 0, 0] : idColour(bits[i]!, cover(i)))
  },
})

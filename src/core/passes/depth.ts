import { depthMiss, isMiss } from '../picture/depth-miss.ts'
import { meansMiss } from '../formats/depth-miss.ts'
import { byte, grey, place } from './draw.ts'
import { definePassKind } from './pass-kind.ts'

export default definePassKind({
  kind: 'depth',
  use: 'Distance from the camera: mist, focus, mattes by distance.',
  named: { rank: 3, by: [/z_?depth|depth_?z|^z$|depth|distance|disparity|^mist$|^fog$|^z_?buffer$/] },
  isData: true,
  isForMattes: true,
  isSingle: true,
  takesInfinite: true,
  outside: depthMiss,
  detail(name, stats) {
    const first = stats?.channels[0]
    const isUnit = first !== undefined && first.low >= 0 && first.high <= 1 && first.infinite === 0
    if (/disparity|inverse|inv_?depth/.test(name)) return { depth: 'inverse' }
    const miss = stats?.miss && !isUnit ? { miss: stats.miss.value } : {}
    return { depth: 'distance', unit: isUnit ? '0–1' : 'scene units', ...miss }
  },
  filter: () => 'pick',
  // Depth comes to grow with distance; infinite depth is kept as "nothing was hit".
  settle({ data }, detail) {
    const meaning = detail?.depth
    const miss = detail?.miss ?? undefined
    let replaced = 0
    for (let i = 0; i < data.length; i++) {
      const d = data[i]!
      if (d === Infinity || d === depthMiss) data[i] = meaning === 'inverse' ? 0 : depthMiss
      else if (!Number.isFinite(d)) {
        data[i] = 0
        replaced++
      } else if (miss !== undefined && meansMiss(d, miss)) data[i] = depthMiss
      else if (meaning === 'flipped') data[i] = 1 - d
      else if (meaning === 'inverse') data[i] = d > 0 ? 1 / d : depthMiss
    }
    return replaced
  },
  draw({ data }, low, high) {
    // So that it is not taken for far or near.
    const nothing = [18, 26, 52] as const
    return (i) => (isMiss(data[i]!) ? nothing : grey(byte(place(data[i]!, low, high))))
  },
})

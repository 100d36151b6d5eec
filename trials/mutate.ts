import type { Random } from './random.ts'

const extremes = [0, 1, 0x7f, 0x80, 0xff, 0x7fff, 0x8000, 0xffff, 0x7fffffff, 0x80000000, 0xffffffff] as const

/** A damaged copy of a file: bits turned, numbers made extreme, parts cut out, doubled, moved, or taken from another file. */
export function mutate(original: Uint8Array, random: Random, others: readonly Uint8Array[]): Uint8Array {
  let bytes = original.slice()
  const times = 1 + random.below(6)
  for (let i = 0; i < times && bytes.length > 8; i++) {
    // Headers decide most, so half of the damage is done there.
    const at = random.below(random.below(2) ? bytes.length : Math.min(bytes.length, 600))
    const length = 1 + random.below(Math.min(64, bytes.length - at))
    switch (random.below(8)) {
      case 0:
        bytes[at] = bytes[at]! ^ (1 << random.below(8))
        break
      case 1:
        bytes[at] = random.below(256)
        break
      case 2:
        if (at + 4 <= bytes.length)
          new DataView(bytes.buffer).setUint32(at, random.pick(extremes), random.below(2) === 0)
        break
      case 3:
        bytes = bytes.slice(0, random.below(bytes.length))
        break
      case 4:
        bytes = Uint8Array.from([...bytes.subarray(0, at), ...bytes.subarray(at + length)])
        break
      case 5:
        bytes = Uint8Array.from([...bytes.subarray(0, at + length), ...bytes.subarray(at)])
        break
      case 6:
        bytes.copyWithin(random.below(bytes.length), at, at + length)
        break
      default: {
        const other = random.pick(others)
        const from = random.below(other.length)
        bytes.set(other.subarray(from, Math.min(from + length, from + bytes.length - at)), at)
      }
    }
  }
  return bytes
}

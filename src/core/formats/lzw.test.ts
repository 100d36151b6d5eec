import { expect, test } from 'vitest'
import { lzwDecode } from './lzw.ts'

/** Packs codes of given widths, the highest bit first. */
function pack(codes: readonly (readonly [code: number, width: number])[]): Uint8Array {
  const bits = codes.map(([code, width]) => code.toString(2).padStart(width, '0')).join('')
  return Uint8Array.from({ length: Math.ceil(bits.length / 8) }, (_, i) =>
    Number.parseInt(bits.slice(i * 8, i * 8 + 8).padEnd(8, '0'), 2),
  )
}

test('the example of the specification is unpacked (TIFF 6.0, section 13)', () => {
  // 7 7 7 8 8 7 7 6 6 becomes Clear 7 258 8 8 258 6 6 EOI.
  const codes = [256, 7, 258, 8, 8, 258, 6, 6, 257]
  expect([...lzwDecode(pack(codes.map((c) => [c, 9])), 100)]).toEqual([7, 7, 7, 8, 8, 7, 7, 6, 6])
})

test('no data make it give more than was asked for, loop or read beyond its table', () => {
  let seed = 5
  const next = () => (seed = (Math.imul(seed, 1103515245) + 12345) & 0x7fffffff) >> 8
  for (let i = 0; i < 2000; i++) {
    const bytes = Uint8Array.from({ length: 1 + (next() % 400) }, () => next() & 255)
    // Begun as real data are, so that not all is refused at the first code.
    bytes.set(
      pack([
        [256, 9],
        [next() & 255, 9],
      ]).subarray(0, bytes.length),
    )
    try {
      expect(lzwDecode(bytes, 500).length).toBeLessThanOrEqual(500)
    } catch (error) {
      expect((error as Error).name).toBe('FormatError')
    }
  }
})

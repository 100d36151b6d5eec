import { describe, expect, test } from 'vitest'
import { halfToNumber, numberToHalf } from '../picture/half.ts'
import { OutOfMemoryError } from '../picture/picture.ts'
import { decodeHuffman } from '../formats/exr-huffman.ts'
import { encodeHuffman } from '../formats/exr-huffman-write.ts'
import { packPiz } from '../formats/exr-piz-write.ts'
import { unpackPiz, type PizPlane } from '../formats/exr-piz.ts'
import { withCodec } from './codec.ts'
import { interleavePlanes } from './interleave.ts'
import type { PassBlock } from '../formats/pass-block.ts'
import { passStats } from '../formats/pass-stats.ts'
import { reducePass } from '../formats/reduce-pass.ts'

/** Numbers from 0 to 1 that are the same each time. */
function chances(seed: number): () => number {
  let state = seed
  return () => (state = (state * 48271) % 2147483647) / 2147483647
}

/**
 * Decodes by the description alone (OpenEXR file layout): lengths out of six bits each, codes counted from the longest on, the stream
 * read a bit at a time. It shares no code with what it checks.
 */
function bitByBit(bytes: Uint8Array, count: number): number[] {
  const word = (i: number) => new DataView(bytes.buffer, bytes.byteOffset).getUint32(i * 4, true)
  const bits = Array.from(bytes.subarray(20)).flatMap((b) =>
    [7, 6, 5, 4, 3, 2, 1, 0].map((k) => (b >> k) & 1),
  )
  let at = 0
  const number = (length: number) => {
    let value = 0
    for (let i = 0; i < length; i++) value = value * 2 + bits[at++]!
    return value
  }
  const lengths = new Map<number, number>()
  for (let symbol = word(0); symbol <= word(1);) {
    const length = number(6)
    if (length === 63) symbol += number(8) + 6
    else if (length >= 59) symbol += length - 59 + 2
    else lengths.set(symbol++, length)
  }
  const codes = new Map<string, number>()
  let code = 0n
  for (let length = 58; length > 0; length--) {
    for (const [symbol, l] of [...lengths].sort(([a], [b]) => a - b))
      if (l === length) codes.set((code++).toString(2).padStart(length, '0'), symbol)
    code >>= 1n
  }
  at = Math.ceil(at / 8) * 8
  const end = at + word(3)
  const out: number[] = []
  while (at < end && out.length < count) {
    let read = ''
    while (!codes.has(read)) read += String(bits[at++])
    const symbol = codes.get(read)!
    if (symbol !== word(1)) out.push(symbol)
    else out.push(...Array<number>(number(8)).fill(out.at(-1)!))
  }
  return out
}

describe('codes of 16-bit values', () => {
  // Each value half as often as the one before gives codes of every length, those beyond the table of short ones too.
  const long = Array.from({ length: 26 }, (_, k) =>
    Array<number>(Math.max(1, 2 ** (16 - k))).fill(k * 2521),
  ).flat()
  const shuffled = (values: readonly number[], seed: number) => {
    const chance = chances(seed)
    return values
      .map((v) => [chance(), v] as const)
      .sort(([a], [b]) => a - b)
      .map(([, v]) => v)
  }
  test.each([
    ['of all lengths', shuffled(long, 5)],
    ['in runs', [...Array<number>(700).fill(9), 4, ...Array<number>(300).fill(65535), 4, 9]],
    ['one alone', [77]],
    [
      'none like another',
      shuffled(
        Array.from({ length: 500 }, (_, i) => i * 131),
        9,
      ),
    ],
  ])('%s are read as the description has it', (_, values) => {
    const packed = encodeHuffman(Uint16Array.from(values))
    expect(bitByBit(packed, values.length)).toEqual(values)
    expect([...decodeHuffman(packed, values.length)!]).toEqual(values)
    // More or fewer than there are do not fit.
    expect(decodeHuffman(packed, values.length + 1)).toBeUndefined()
    expect(decodeHuffman(packed.subarray(0, packed.length - 1), values.length * 3)).toBeUndefined()
  })
})

describe('PIZ', () => {
  const sides = [
    [1, 1],
    [2, 2],
    [3, 5],
    [16, 2],
    [17, 16],
    [33, 7],
    [64, 32],
    [75, 31],
    [5, 40],
  ] as const
  test.each(sides)(
    '%d × %d samples of one and two words come back, of few values and of many',
    (width, height) => {
      for (const words of [1, 2])
        for (const many of [false, true]) {
          const chance = chances(width * 100 + height)
          const planes: PizPlane[] = [
            { width, height, words },
            { width, height, words: 1 },
          ]
          const data = Uint16Array.from({ length: width * height * (words + 1) }, (_, i) =>
            many ? chance() * 65536 : 300 + (i % width) * 3 + chance() * 40,
          )
          // Values that never repeat make more than 2¹⁴ of them, for which the other arithmetic counts.
          const packed = packPiz(data.slice(), planes)
          expect(unpackPiz(packed, planes, 0)).toEqual(data)
        }
    },
  )
  test('more than 2¹⁴ values, which sums and differences of 14 bits do not hold', () => {
    const [width, height] = [201, 103]
    const data = Uint16Array.from({ length: width * height }, (_, i) => (i * 40503) & 0xffff)
    const planes = [{ width, height, words: 1 }]
    expect(unpackPiz(packPiz(data.slice(), planes), planes, 0)).toEqual(data)
  })
})

test('planes of any number of channels become pixels, every bit of them', () => {
  for (const count of [1, 5, 1024, 1025, 3000])
    for (const channels of [1, 2, 3, 4, 8]) {
      const halves = Array.from({ length: channels }, (_, c) =>
        Uint16Array.from({ length: count }, (_, i) => i * 7 + c * 4001),
      )
      const out = new Uint16Array(count * channels)
      interleavePlanes(out, halves)
      expect(out.every((v, i) => v === halves[i % channels]![Math.floor(i / channels)])).toBe(true)
      // NaNs with all their bits.
      const words = halves.map((h) => Uint32Array.from(h, (v) => 0x7fc00000 + v))
      const floats = new Float32Array(count * channels)
      interleavePlanes(
        floats,
        words.map((w) => new Float32Array(w.buffer)),
      )
      expect(
        new Uint32Array(floats.buffer).every((v, i) => v === words[i % channels]![Math.floor(i / channels)]),
      ).toBe(true)
    }
})

test('cells of any number of channels are the means of their finite pixels, halves and floats, wherever the data begin', () => {
  const chance = chances(11)
  for (const [width, height, x, y] of [
    [1, 1, 0, 0],
    [9, 6, -3, 5],
    [34, 11, 2, -7],
  ] as const)
    for (const channels of [1, 2, 3, 4, 5])
      for (const factor of [2, 4] as const)
        for (const isHalf of [false, true]) {
          const numbers = Float32Array.from({ length: width * height * channels }, () => {
            const v = chance()
            return v < 0.05 ? Infinity : v < 0.1 ? NaN : v < 0.15 ? -1e-7 : numberToHalf(v * 300) / 64
          })
          const data = isHalf ? Uint16Array.from(numbers, numberToHalf) : numbers
          const block: PassBlock = { width, height, x, y, channels, data }
          const frame = { width: 200, height: 200 }
          const small = reducePass(block, 'mean', factor, frame)
          const wanted = new Float64Array(small.data.length)
          for (let i = 0; i < data.length; i++) {
            const p = Math.floor(i / channels)
            const cellX = Math.floor(((p % width) + x) / factor) - small.x
            const cellY = Math.floor((Math.floor(p / width) + y) / factor) - small.y
            const value = isHalf ? halfToNumber(data[i]!) : data[i]!
            if (Number.isFinite(value))
              wanted[(cellY * small.width + cellX) * channels + (i % channels)]! += value / factor ** 2
          }
          small.data.forEach((v, i) => {
            const got = isHalf ? halfToNumber(v) : v
            expect(Math.abs(got - wanted[i]!)).toBeLessThan(
              Math.abs(wanted[i]!) * (isHalf ? 6e-4 : 1e-6) + (isHalf ? 1e-7 : 1e-9),
            )
          })
          // What is infinite and what is no number is counted by channel.
          const stats = passStats(block)
          for (let c = 0; c < channels; c++) {
            const those = numbers.filter((_, i) => i % channels === c)
            expect([stats.channels[c]!.infinite, stats.channels[c]!.nan]).toEqual([
              those.filter((v) => Math.abs(v) === Infinity).length,
              those.filter(Number.isNaN).length,
            ])
          }
        }
})

test('room above two gigabytes is found, and what is more than there can be is refused in words', () => {
  withCodec(({ codec, room }) => {
    room(2 ** 31)
    const at = room(4096)
    expect(at).toBeGreaterThan(2 ** 31)
    const source = new Uint8Array(codec.memory.buffer, at, 64)
    source.set(Uint8Array.from({ length: 64 }, (_, i) => 128 + (i % 2)))
    codec.restoreBytes(at + 2048, at, 64)
    // Sums of 0 and 1 in turn from 128 on: the first half at even places, the second, which goes on from it, at odd ones.
    const out = new Uint8Array(codec.memory.buffer, at + 2048, 64)
    expect([...out.subarray(0, 6)]).toEqual([128, 144, 129, 145, 129, 145])
  })
  expect(() => withCodec(({ room }) => room(2 ** 32))).toThrow(OutOfMemoryError)
})

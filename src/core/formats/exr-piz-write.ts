import { encodeHuffman } from './exr-huffman-write.ts'
import { bitmapBytes, type PizPlane } from './exr-piz.ts'

// The writing half of PIZ. Source: OpenEXR file layout and the description of PIZ in its technical introduction.

/** Mean and difference of two values: the first in the upper, the second in the lower 16 bits. */
const forward14 = (a: number, b: number): number => {
  const [p, q] = [(a << 16) >> 16, (b << 16) >> 16]
  return (((p + q) >> 1) << 16) | ((p - q) & 0xffff)
}

/** The same in arithmetic modulo 2^16. */
const forward16 = (a: number, b: number): number => {
  const moved = (a + 0x8000) & 0xffff
  const difference = moved - b
  const mean = (moved + b) >> 1
  return ((difference < 0 ? (mean + 0x8000) & 0xffff : mean) << 16) | (difference & 0xffff)
}

function wavelet(
  data: Uint16Array,
  from: number,
  nx: number,
  ox: number,
  ny: number,
  oy: number,
  most: number,
): void {
  const forward = most < 1 << 14 ? forward14 : forward16
  for (let p = 1; p * 2 <= Math.min(nx, ny); p *= 2) {
    const [ox1, oy1] = [ox * p, oy * p]
    /** One of a pair with the other; both keep their places. */
    const pair = (at: number, other: number) => {
      const both = forward(data[at]!, data[other]!)
      data[at] = both >>> 16
      data[other] = both
    }
    let y = 0
    for (; y <= ny - p * 2; y += p * 2) {
      let at = from + y * oy
      let x = 0
      for (; x <= nx - p * 2; x += p * 2, at += ox1 * 2) {
        pair(at, at + ox1)
        pair(at + oy1, at + ox1 + oy1)
        pair(at, at + oy1)
        pair(at + ox1, at + ox1 + oy1)
      }
      if (nx & p) pair(at, at + oy1)
    }
    if (ny & p)
      for (let x = 0; x <= nx - p * 2; x += p * 2) pair(from + y * oy + x * ox, from + y * oy + x * ox + ox1)
  }
}

/** Packs the planes of a chunk, one after the other; they are changed. */
export function packPiz(data: Uint16Array, planes: readonly PizPlane[]): Uint8Array {
  const bitmap = new Uint8Array(bitmapBytes)
  for (const value of data) bitmap[value >> 3]! |= 1 << (value & 7)
  // 0 counts as there without being said.
  bitmap[0]! &= 254
  const first = bitmap.findIndex((b) => b !== 0)
  const last = bitmap.findLastIndex((b) => b !== 0)
  const table = new Uint16Array(65536)
  let count = 1
  for (let value = 1; value < 65536; value++)
    if (bitmap[value >> 3]! & (1 << (value & 7))) table[value] = count++
  for (let i = 0; i < data.length; i++) data[i] = table[data[i]!]!
  let from = 0
  for (const { width, height, words } of planes) {
    for (let word = 0; word < words; word++)
      wavelet(data, from + word, width, words, height, width * words, count - 1)
    from += width * height * words
  }
  const used = first < 0 ? new Uint8Array() : bitmap.subarray(first, last + 1)
  const packed = encodeHuffman(data)
  const out = new Uint8Array(8 + used.length + packed.length)
  const view = new DataView(out.buffer)
  view.setUint16(0, first < 0 ? bitmapBytes - 1 : first, true)
  view.setUint16(2, first < 0 ? 0 : last, true)
  out.set(used, 4)
  view.setUint32(4 + used.length, packed.length, true)
  out.set(packed, 8 + used.length)
  return out
}

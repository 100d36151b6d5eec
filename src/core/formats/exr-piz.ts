import { decodeHuffman } from './exr-huffman.ts'
import { FormatError } from './format-error.ts'

// PIZ: 16-bit values are mapped onto those that occur, spread by a Haar-like wavelet, and Huffman-coded.
// Source: OpenEXR file layout and the description of PIZ in its technical introduction.

export const bitmapBytes = 8192

/** One plane of a chunk: `words` 16-bit words a sample (1 half, 2 float or uint), samples interleaved. */
export interface PizPlane {
  readonly width: number
  readonly height: number
  readonly words: number
}

/** Sum and difference of two values of fewer than 14 bits: the first in the upper, the second in the lower 16 bits. */
function inverse14(low: number, high: number): number {
  const h = (high << 16) >> 16
  const a = ((low << 16) >> 16) + (h & 1) + (h >> 1)
  return (a << 16) | ((a - h) & 0xffff)
}

/** The same in arithmetic modulo 2^16. */
function inverse16(low: number, high: number): number {
  const b = (low - (high >> 1)) & 0xffff
  return ((high + b - 0x8000) << 16) | b
}

type Inverse = typeof inverse14

/** The lines and columns of one level, by an inverse that is known when it is compiled: calls through a variable are slow. */
const levelBy =
  (inverse: Inverse) =>
  (data: Uint16Array, from: number, nx: number, ox: number, ny: number, oy: number, p: number): void => {
    const p2 = p * 2
    const [ox1, oy1] = [ox * p, oy * p]
    let y = 0
    for (; y <= ny - p2; y += p2) {
      let at = from + y * oy
      let x = 0
      for (; x <= nx - p2; x += p2, at += ox1 * 2) {
        const left = inverse(data[at]!, data[at + oy1]!)
        const right = inverse(data[at + ox1]!, data[at + ox1 + oy1]!)
        const top = inverse(left >>> 16, right >>> 16)
        const bottom = inverse(left & 0xffff, right & 0xffff)
        data[at] = top >>> 16
        data[at + ox1] = top
        data[at + oy1] = bottom >>> 16
        data[at + ox1 + oy1] = bottom
      }
      if (nx & p) {
        const both = inverse(data[at]!, data[at + oy1]!)
        data[at] = both >>> 16
        data[at + oy1] = both
      }
    }
    if (ny & p)
      for (let x = 0; x <= nx - p2; x += p2) {
        const at = from + y * oy + x * ox
        const both = inverse(data[at]!, data[at + ox1]!)
        data[at] = both >>> 16
        data[at + ox1] = both
      }
  }
// Each compiled from its own source, so that each has its own inverse inside.
const level14 = levelBy((low, high) => inverse14(low, high))
const level16 = levelBy((low, high) => inverse16(low, high))

function inverseWavelet(
  data: Uint16Array,
  from: number,
  nx: number,
  ox: number,
  ny: number,
  oy: number,
  most: number,
): void {
  const level = most < 1 << 14 ? level14 : level16
  let p = 1
  while (p <= Math.min(nx, ny)) p <<= 1
  for (p >>= 2; p >= 1; p >>= 1) level(data, from, nx, ox, ny, oy, p)
}

/** Unpacks a chunk to its planes, one after the other. Throws FormatError with the chunk's place. */
export function unpackPiz(packed: Uint8Array, planes: readonly PizPlane[], offset: number): Uint16Array {
  const view = new DataView(packed.buffer, packed.byteOffset, packed.byteLength)
  const fail = (detail: string): never => {
    throw new FormatError('exr', offset, `a PIZ chunk ${detail}`)
  }
  if (packed.length < 8) fail('is cut short')
  const [first, last] = [view.getUint16(0, true), view.getUint16(2, true)]
  let at = 4
  const bitmap = new Uint8Array(bitmapBytes)
  if (first <= last) {
    if (last >= bitmapBytes || at + last - first + 1 > packed.length) fail('has a table that can not be')
    bitmap.set(packed.subarray(at, at + last - first + 1), first)
    at += last - first + 1
  }
  const values = new Uint16Array(65536)
  let count = 1
  for (let byte = 0; byte < bitmapBytes; byte++) {
    const bits = bitmap[byte]!
    if (bits === 0) continue
    for (let bit = byte === 0 ? 1 : 0; bit < 8; bit++) if (bits & (1 << bit)) values[count++] = byte * 8 + bit
  }
  if (at + 4 > packed.length) fail('is cut short')
  const length = view.getUint32(at, true)
  at += 4
  if (at + length > packed.length) fail('is cut short')
  const total = planes.reduce((sum, p) => sum + p.width * p.height * p.words, 0)
  const data = decodeHuffman(packed.subarray(at, at + length), total)
  if (!data) return fail('does not unpack')
  let from = 0
  for (const { width, height, words } of planes) {
    for (let word = 0; word < words; word++)
      inverseWavelet(data, from + word, width, words, height, width * words, count - 1)
    from += width * height * words
  }
  for (let i = 0; i < data.length; i++) data[i] = values[data[i]!]!
  return data
}

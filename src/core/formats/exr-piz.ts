import { decodeHuffman } from './exr-huffman.ts'
import { FormatError } from './format-error.ts'

// PIZ: 16-bit values are mapped onto those that occur, spread by a Haar-like wavelet, and Huffman-coded.
// Source: OpenEXR file layout and the description of PIZ in its technical introduction.

const bitmapBytes = 8192

/** One plane of a chunk: `words` 16-bit words a sample (1 half, 2 float or uint), samples interleaved. */
export interface PizPlane {
  readonly width: number
  readonly height: number
  readonly words: number
}

/** Sum and difference of two values of fewer than 14 bits. */
function inverse14(low: number, high: number, out: Int32Array): void {
  const [l, h] = [(low << 16) >> 16, (high << 16) >> 16]
  const a = l + (h & 1) + (h >> 1)
  out[0] = a & 0xffff
  out[1] = (a - h) & 0xffff
}

/** The same in arithmetic modulo 2^16. */
function inverse16(low: number, high: number, out: Int32Array): void {
  const b = (low - (high >> 1)) & 0xffff
  out[1] = b
  out[0] = (high + b - 0x8000) & 0xffff
}

function inverseWavelet(
  data: Uint16Array,
  from: number,
  nx: number,
  ox: number,
  ny: number,
  oy: number,
  most: number,
): void {
  const inverse = most < 1 << 14 ? inverse14 : inverse16
  const pair = new Int32Array(2)
  const n = Math.min(nx, ny)
  let p = 1
  while (p <= n) p <<= 1
  p >>= 1
  let p2 = p
  p >>= 1
  for (; p >= 1; p2 = p, p >>= 1) {
    const [ox1, oy1] = [ox * p, oy * p]
    let y = 0
    for (; y <= ny - p2; y += p2) {
      let x = 0
      for (; x <= nx - p2; x += p2) {
        const at = from + y * oy + x * ox
        inverse(data[at]!, data[at + oy1]!, pair)
        const [i00, i10] = [pair[0]!, pair[1]!]
        inverse(data[at + ox1]!, data[at + ox1 + oy1]!, pair)
        const [i01, i11] = [pair[0]!, pair[1]!]
        inverse(i00, i01, pair)
        data[at] = pair[0]!
        data[at + ox1] = pair[1]!
        inverse(i10, i11, pair)
        data[at + oy1] = pair[0]!
        data[at + ox1 + oy1] = pair[1]!
      }
      if (nx & p) {
        const at = from + y * oy + x * ox
        inverse(data[at]!, data[at + oy1]!, pair)
        data[at] = pair[0]!
        data[at + oy1] = pair[1]!
      }
    }
    if (ny & p)
      for (let x = 0; x <= nx - p2; x += p2) {
        const at = from + y * oy + x * ox
        inverse(data[at]!, data[at + ox1]!, pair)
        data[at] = pair[0]!
        data[at + ox1] = pair[1]!
      }
  }
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
  let count = 0
  for (let v = 0; v < 65536; v++) if (v === 0 || bitmap[v >> 3]! & (1 << (v & 7))) values[count++] = v
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

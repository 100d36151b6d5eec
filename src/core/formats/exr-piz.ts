import { withCodec } from '../codec/codec.ts'
import { decodeTo } from './exr-huffman.ts'
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
  if (total === 0) return new Uint16Array()
  const coded = packed.subarray(at, at + length)
  return withCodec((desk) => {
    const { codec } = desk
    const data = desk.room(total * 2)
    const table = desk.put(values)
    if (!decodeTo(data, total, coded, desk)) return fail('does not unpack')
    let from = data
    for (const { width, height, words } of planes) {
      codec.inverseWavelet(from, width, height, words, count - 1 < 1 << 14 ? 1 : 0)
      from += width * height * words * 2
    }
    codec.lookUp(data, total, table)
    return new Uint16Array(desk.take(data, total * 2).buffer)
  })
}

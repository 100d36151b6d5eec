import { FormatError } from './format-error.ts'

const clear = 256
const end = 257
const mostCodes = 4096

/**
 * Unpacks LZW as TIFF has it: codes of 9 to 12 bits, the highest bit first, made longer one code early. What ends without its
 * end code is taken as far as it goes. At most `most` bytes are given back.
 *
 * Source: Adobe, TIFF 6.0 (1992), section 13. Throws FormatError for codes that no writer makes.
 */
export function lzwDecode(bytes: Uint8Array, most: number): Uint8Array {
  let out = new Uint8Array(Math.min(most, Math.max(1024, bytes.length * 4)))
  let length = 0
  // A string is the one it goes on from, and one byte more.
  const before = new Uint16Array(mostCodes)
  const last = new Uint8Array(mostCodes)
  const first = new Uint8Array(mostCodes)
  const lengths = new Uint16Array(mostCodes)
  for (let code = 0; code < clear; code++) {
    last[code] = first[code] = code
    lengths[code] = 1
  }
  let next = end + 1
  let width = 9
  let bits = 0
  let held = 0
  let previous = -1
  for (const byte of bytes) {
    bits = (bits << 8) | byte
    held += 8
    if (held < width) continue
    held -= width
    const code = (bits >>> held) & ((1 << width) - 1)
    bits &= (1 << held) - 1
    if (code === end) break
    if (code === clear) {
      next = end + 1
      width = 9
      previous = -1
      continue
    }
    if (previous < 0 ? code > end : code > next || next > mostCodes)
      throw new FormatError('tiff', 0, `its LZW data hold the code ${code} where none is known yet`)
    if (previous >= 0 && next < mostCodes) {
      before[next] = previous
      first[next] = first[previous]!
      last[next] = first[code === next ? previous : code]!
      lengths[next] = lengths[previous]! + 1
      next++
    }
    const count = lengths[code]!
    if (length + count > out.length) {
      if (out.length >= most) return out
      const larger = new Uint8Array(Math.min(most, Math.max(out.length * 2, length + count)))
      larger.set(out)
      out = larger
    }
    // From its last byte to its first; what lies beyond the block is left out.
    for (let at = length + count - 1, from = code; at >= length; at--, from = before[from]!)
      if (at < out.length) out[at] = last[from]!
    length = Math.min(out.length, length + count)
    previous = code
    if (next >= (1 << width) - 1 && width < 12) width++
  }
  return out.subarray(0, length)
}

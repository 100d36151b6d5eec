import { unzlibSync, zlibSync } from 'fflate'

/** zlib streams: the server has a faster one than a browser, so it is handed in. */
export interface Zlib {
  /** Unpacks to exactly `size` bytes, or throws. */
  inflate(packed: Uint8Array, size: number): Uint8Array
  deflate(bytes: Uint8Array): Uint8Array
}

/** zlib in plain JavaScript, for where there is no other. */
export const portableZlib: Zlib = {
  inflate: (packed, size) => unzlibSync(packed, { out: new Uint8Array(size) }),
  deflate: (bytes) => zlibSync(bytes, { level: 4 }),
}

const isLittleEndian = new Uint8Array(Uint16Array.of(1).buffer)[0] === 1

/** Undoes the split into even and odd bytes and the differences that RLE and ZIP pack. */
export function restoreBytes(packed: Uint8Array): Uint8Array {
  const count = packed.length
  const out = new Uint8Array(count)
  const middle = (count + 1) >> 1
  // One sum runs through both halves. Where the second begins is known first, so that both run at once and a word is written at a time.
  let [even, odd] = [128, 128]
  for (let i = 0; i < middle; i++) odd += packed[i]!
  odd = (odd - 128 * middle) & 255
  const pairs = count >> 1
  if (isLittleEndian) {
    const words = new Uint16Array(out.buffer, 0, pairs)
    for (let i = 0; i < pairs; i++) {
      even = (even + packed[i]! + 128) & 255
      odd = (odd + packed[middle + i]! + 128) & 255
      words[i] = even | (odd << 8)
    }
  } else
    for (let i = 0; i < pairs; i++) {
      out[2 * i] = even = (even + packed[i]! + 128) & 255
      out[2 * i + 1] = odd = (odd + packed[middle + i]! + 128) & 255
    }
  if (count & 1) out[count - 1] = even + packed[middle - 1]! + 128
  return out
}

/** The inverse of restoreBytes. */
export function splitBytes(bytes: Uint8Array): Uint8Array {
  const count = bytes.length
  const out = new Uint8Array(count)
  const middle = (count + 1) >> 1
  let before = 128
  for (let o = 0, i = 0; o < middle; o++, i += 2) {
    const byte = bytes[i]!
    out[o] = byte - before + 128
    before = byte
  }
  for (let o = middle, i = 1; o < count; o++, i += 2) {
    const byte = bytes[i]!
    out[o] = byte - before + 128
    before = byte
  }
  return out
}

/** Run lengths: a count below 0 is followed by that many bytes as they are, others by one byte to repeat. */
export function unpackRuns(packed: Uint8Array, size: number): Uint8Array | undefined {
  const out = new Uint8Array(size)
  let o = 0
  for (let i = 0; i < packed.length;) {
    const count = (packed[i++]! << 24) >> 24
    const length = count < 0 ? -count : count + 1
    if (o + length > size || i + (count < 0 ? length : 1) > packed.length) return undefined
    if (count < 0) out.set(packed.subarray(i, i + length), o)
    else out.fill(packed[i]!, o, o + length)
    i += count < 0 ? length : 1
    o += length
  }
  return o === size ? out : undefined
}

/** The inverse of unpackRuns: bytes that are alike, from three on, are counted. */
export function packRuns(bytes: Uint8Array): Uint8Array {
  const out: number[] = []
  for (let i = 0; i < bytes.length;) {
    let same = 1
    while (same < 128 && i + same < bytes.length && bytes[i + same] === bytes[i]) same++
    if (same >= 3) {
      out.push(same - 1, bytes[i]!)
      i += same
      continue
    }
    let end = i
    while (
      end < bytes.length &&
      end - i < 127 &&
      !(end + 2 < bytes.length && bytes[end] === bytes[end + 1] && bytes[end] === bytes[end + 2])
    )
      end++
    out.push((i - end) & 255)
    for (; i < end; i++) out.push(bytes[i]!)
  }
  return Uint8Array.from(out)
}

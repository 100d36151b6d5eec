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

/** Undoes the split into even and odd bytes and the differences that RLE and ZIP pack. */
export function restoreBytes(packed: Uint8Array): Uint8Array {
  for (let i = 1; i < packed.length; i++) packed[i] = packed[i - 1]! + packed[i]! - 128
  const out = new Uint8Array(packed.length)
  const middle = (packed.length + 1) >> 1
  for (let i = 0, o = 0; o < out.length; i++) {
    out[o++] = packed[i]!
    if (o < out.length) out[o++] = packed[middle + i]!
  }
  return out
}

/** The inverse of restoreBytes. */
export function splitBytes(bytes: Uint8Array): Uint8Array {
  const out = new Uint8Array(bytes.length)
  const middle = (bytes.length + 1) >> 1
  for (let i = 0; i < bytes.length; i++) out[(i & 1 ? middle : 0) + (i >> 1)] = bytes[i]!
  for (let i = out.length - 1; i > 0; i--) out[i] = out[i]! - out[i - 1]! + 128
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

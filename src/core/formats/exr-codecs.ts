import { unzlibSync, zlibSync } from 'fflate'
import { withCodec } from '../codec/codec.ts'

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

/**
 * Undoes the split into even and odd bytes and the differences that RLE and ZIP pack. What it gives back lies in the codecs' memory: it
 * holds until the next piece of their work, and is to be copied from before.
 */
export function restoredBytes(packed: Uint8Array): Uint8Array {
  return withCodec(({ codec, put, room }) => {
    const [from, to] = [put(packed), room(packed.length)]
    codec.restoreBytes(to, from, packed.length)
    return new Uint8Array(codec.memory.buffer, to, packed.length)
  })
}

/** As `restoredBytes`, to keep. */
export function restoreBytes(packed: Uint8Array): Uint8Array<ArrayBuffer> {
  return new Uint8Array(restoredBytes(packed))
}

/** The inverse of restoreBytes. */
export function splitBytes(bytes: Uint8Array): Uint8Array<ArrayBuffer> {
  return withCodec(({ codec, put, room, take }) => {
    const [from, to] = [put(bytes), room(bytes.length)]
    codec.splitBytes(to, from, bytes.length)
    return take(to, bytes.length)
  })
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

import { deflateSync, inflateSync } from 'node:zlib'
import type { Zlib } from '../../core/formats/exr-codecs.ts'

/** As much as is unpacked at once: what a file says that it unpacks to is not taken at its word. */
const mostAtOnce = 2 ** 24

/** zlib of Node, bounded: a stream that would unpack to more than it should is refused. */
export const nodeZlib: Zlib = {
  // With room to spare, so that it sees its end: most fits into one piece, and need not be joined.
  inflate: (packed, size) =>
    inflateSync(packed, { maxOutputLength: size, chunkSize: Math.min(size + 64, mostAtOnce) }),
  deflate: (bytes) => deflateSync(bytes, { level: 4 }),
}

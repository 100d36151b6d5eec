import { deflateSync, inflateSync } from 'node:zlib'
import type { Zlib } from '../../core/formats/exr-codecs.ts'

/** zlib of Node, bounded: a stream that would unpack to more than it should is refused. */
export const nodeZlib: Zlib = {
  inflate: (packed, size) => inflateSync(packed, { maxOutputLength: size }),
  deflate: (bytes) => deflateSync(bytes, { level: 4 }),
}

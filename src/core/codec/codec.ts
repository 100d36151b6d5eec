import { OutOfMemoryError } from '../picture/picture.ts'
import { codecWasm, type Exports } from './codec.gen.ts'

interface Codec extends Exports {
  readonly memory: WebAssembly.Memory
}
const page = 65536
let made: Codec | undefined

/** Memory for one piece of work of the codecs in WebAssembly. Each call gives a place behind the last, of 16 bytes' alignment. */
export interface Desk {
  readonly codec: Codec
  /** Room for so many bytes, and 16 more that may be read and overwritten. */
  room(bytes: number): number
  /** Room that holds a copy of an array. */
  put(array: Uint8Array | Uint16Array | Int32Array | Uint32Array | Float32Array | BigUint64Array): number
  /** A copy of bytes. */
  take(at: number, bytes: number): Uint8Array<ArrayBuffer>
}

/**
 * Loops over bytes that a processor does sixteen at a time: the packing of EXR, and sums of cells. Nothing is kept from one piece
 * of work to the next, and no piece begins within another. Throws OutOfMemoryError where a piece needs more than 4 GiB, or than there is.
 */
export function withCodec<T>(work: (desk: Desk) => T): T {
  made ??= new WebAssembly.Instance(
    new WebAssembly.Module(Uint8Array.from(atob(codecWasm), (c) => c.charCodeAt(0))),
    { env: { abort: () => undefined } },
  ).exports as unknown as Codec
  const codec = made
  // By division: places above two gigabytes are no 32-bit numbers with a sign.
  const aligned = (place: number) => Math.ceil(place / 16) * 16
  let next = aligned(codec.freeFrom())
  const room = (bytes: number) => {
    const at = next
    next = aligned(next + bytes + 16)
    const missing = next - codec.memory.buffer.byteLength
    if (missing > 0)
      try {
        codec.memory.grow(Math.ceil(missing / page))
      } catch {
        throw new OutOfMemoryError(bytes)
      }
    return at
  }
  return work({
    codec,
    room,
    put: (array) => {
      const at = room(array.byteLength)
      const bytes = new Uint8Array(array.buffer, array.byteOffset, array.byteLength)
      new Uint8Array(codec.memory.buffer, at, bytes.length).set(bytes)
      return at
    },
    take: (at, bytes) => new Uint8Array(codec.memory.buffer.slice(at, at + bytes)),
  })
}

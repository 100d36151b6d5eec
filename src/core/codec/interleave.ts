import { withCodec } from './codec.ts'

/** Pixels that go through the fast memory of a processor at once. */
const atOnce = 1024

/** Planes of values to pixels that hold a value of each. All are of one type; bits of floats stay what they are. */
export function interleavePlanes(out: ArrayBufferView, planes: readonly ArrayBufferView[]): void {
  const bytesOf = (a: ArrayBufferView) => new Uint8Array(a.buffer, a.byteOffset, a.byteLength)
  const [to, from] = [bytesOf(out), planes.map(bytesOf)]
  const [first] = from
  if (!first) return
  const size = out instanceof Uint16Array ? 2 : 4
  const channels = from.length
  if (channels === 1) {
    to.set(first)
    return
  }
  withCodec(({ codec, room }) => {
    const stride = atOnce * size
    const [source, target] = [room(stride * channels), room(stride * channels)]
    const memory = new Uint8Array(codec.memory.buffer)
    for (let at = 0; at < first.length; at += stride) {
      const bytes = Math.min(stride, first.length - at)
      for (const [c, plane] of from.entries()) memory.set(plane.subarray(at, at + bytes), source + c * stride)
      codec.interleave(target, source, stride, bytes / size, channels, size)
      to.set(memory.subarray(target, target + bytes * channels), at * channels)
    }
  })
}

import { halfToNumber } from '../../picture/half.ts'
import type { Picture } from '../../picture/picture.ts'
import type { KernelCalls } from '../kernel-calls.ts'
import { eachValue } from '../twin-maths.ts'

/** Samples as a file has them, in ordinary memory: `height` rows of `width` times `channels` halves or floats. */
export interface Samples {
  readonly width: number
  readonly height: number
  readonly channels: number
  readonly data: Uint16Array | Float32Array
}

export interface BlockKernels {
  /**
   * Lays samples into a picture, the first at `corner`; beyond them each channel is `outside`. The bits of floats stay what they are. A picture of
   * one channel takes the first; of four, one channel stands for all colours, two are red and green, and a missing alpha is 1.
   */
  layBlock(out: Picture, block: Samples, corner: readonly [left: number, top: number], outside: number): void
  /** What chosen objects cover (0–1) of pairs of the bits of an object's name and its cover, one channel; 0 beyond them. `ids` rise. */
  objectCover(
    out: Picture,
    block: Samples,
    corner: readonly [left: number, top: number],
    ids: Uint32Array,
  ): void
}

const words = ({ data }: { readonly data: Float32Array }) =>
  new Uint32Array(data.buffer, data.byteOffset, data.length)
const floatsOf = ({ data }: Samples) =>
  data instanceof Float32Array ? data : Float32Array.from(data, (code) => halfToNumber(code))

/** The plain twins. */
export const plainBlock: BlockKernels = {
  layBlock(out, block, [left, top], outside) {
    const [from, to] = [words({ data: floatsOf(block) }), words(out)]
    const [beyond, one] = words({ data: Float32Array.of(outside, 1) })
    const { width, height, channels: own } = block
    for (let i = 0; i < to.length; i++) {
      const [p, c] = [Math.floor(i / out.channels), i % out.channels]
      const [x, y] = [(p % out.width) - left, Math.floor(p / out.width) - top]
      const at = (y * width + x) * own
      if (x < 0 || y < 0 || x >= width || y >= height) to[i] = beyond!
      else if (c === 3 && own < 4) to[i] = one!
      else if (c < own) to[i] = from[at + c]!
      else to[i] = own === 1 ? from[at]! : 0
    }
  },
  objectCover(out, block, [left, top], ids) {
    const values = floatsOf(block)
    const names = words({ data: values })
    const { width, height, channels } = block
    eachValue(out, (p) => {
      const [x, y] = [(p % out.width) - left, Math.floor(p / out.width) - top]
      if (x < 0 || y < 0 || x >= width || y >= height) return 0
      let sum = 0
      for (let c = 0; c + 1 < channels; c += 2) {
        const at = (y * width + x) * channels + c
        if (ids.includes(names[at]!)) sum += values[at + 1]!
      }
      return Math.min(1, Math.max(0, sum))
    })
  },
}

/** A kernel may read so many bytes beyond the end of samples. */
const beyondBytes = 16

export const fastBlock = ({ run, pool, store, isShared, withBytes }: KernelCalls): BlockKernels => {
  /** Samples as floats where kernels find them, for the time of one call. */
  const withFloatsOf = ({ data }: Samples, call: (at: number) => void) => {
    const put = (array: ArrayBufferView, use: (at: number) => void) => {
      withBytes(array.byteLength + beyondBytes, (at) => {
        const bytes = new Uint8Array(array.buffer, array.byteOffset, array.byteLength)
        new Uint8Array(store.memory.buffer, at, array.byteLength).set(bytes)
        use(at)
      })
    }
    if (data instanceof Float32Array) {
      if (isShared(data)) call(data.byteOffset)
      else put(data, call)
      return
    }
    withBytes(data.length * 4 + beyondBytes, (floats) => {
      put(data, (halves) => {
        pool.run('halfToFloat', [floats, halves], data.length, 1)
      })
      call(floats)
    })
  }
  return {
    layBlock: (out, block, corner, outside) => {
      const { width, height, channels } = block
      withFloatsOf(block, (at) => {
        run('layBlock', out, out.at, at, channels, out.channels, ...corner, width, height, outside, out.width)
      })
    },
    objectCover: (out, block, corner, ids) => {
      const { width, height, channels } = block
      withFloatsOf(block, (at) => {
        withBytes(Math.max(4, ids.byteLength), (list) => {
          new Uint32Array(store.memory.buffer, list, ids.length).set(ids)
          run('objectCover', out, out.at, at, channels, list, ids.length, ...corner, width, height, out.width)
        })
      })
    },
  }
}

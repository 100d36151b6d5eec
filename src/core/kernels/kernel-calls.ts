import type { WorkingSpace } from '../colour/working.ts'
import type { Picture } from '../picture/picture.ts'
import type { KernelMemory } from './kernel-memory.ts'
import type { LineTaps, Tap } from './line-profile.ts'
import type { RowArguments, RowFunction, ThreadPool } from './thread-pool.ts'

/** A sum of a line: four doubles; a node of one: two sums. */
const [sumBytes, nodeBytes] = [32, 64]

/**
 * What the calls of kernels need: the memory, the threads, numbers put where a kernel finds them, and where the numbers of the working space
 * are: the weights of luminance as four lanes, and its way to the cones of OKLab as nine numbers.
 */
export function kernelCalls(store: KernelMemory, pool: ThreadPool, space: WorkingSpace) {
  const weighAt = store.allocateBytes(16)
  new Float32Array(store.memory.buffer, weighAt, 4).set([...space.weights, 0])
  const conesAt = store.allocateBytes(48)
  new Float32Array(store.memory.buffer, conesAt, 9).set(space.toCones)
  const run = <N extends RowFunction>(name: N, out: Picture, ...args: RowArguments<N>) => {
    pool.run(name, args, out.height, out.width * 4)
  }
  const withBytes = (bytes: number, call: (at: number) => void) => {
    const at = store.allocateBytes(bytes)
    try {
      call(at)
    } finally {
      store.releaseBytes(at)
    }
  }
  /** Rows of its own for each thread, for the time of one call. */
  const withScratch = (bytes: number, call: (at: number) => void) => {
    withBytes(bytes * (pool.workers + 1), call)
  }
  /** Puts numbers in kernel memory for the time of one call. */
  const withFloats = (values: ArrayLike<number>, call: (at: number) => void) => {
    withBytes(values.length * 4, (at) => {
      new Float32Array(store.memory.buffer, at, values.length).set(values)
      call(at)
    })
  }
  const withDoubles = (values: readonly number[], call: (at: number) => void) => {
    withBytes(values.length * 8, (at) => {
      new Float64Array(store.memory.buffer, at, values.length).set(values)
      call(at)
    })
  }
  /** Taps as { offset: i32, weight: f64 at byte 8 }. */
  const withTaps = (taps: readonly Tap[], call: (at: number) => void) => {
    withDoubles(
      taps.flatMap(([, weight]) => [0, weight]),
      (at) => {
        const words = new Int32Array(store.memory.buffer, at, taps.length * 4)
        for (const [i, [offset]] of taps.entries()) words[i * 4] = offset
        call(at)
      },
    )
  }
  /** Taps of lines: four doubles for each that is near, then { shift: i32, four doubles at byte 8 }, shifts in bytes of nodes and of sums. */
  const withLineTaps = ({ near, smooth, sharp, step }: LineTaps, call: (at: number) => void) => {
    const far = [...smooth, ...sharp]
    withDoubles(
      [...near.flatMap(({ weights }) => weights), ...far.flatMap(({ weights }) => [0, ...weights])],
      (at) => {
        const words = new Int32Array(store.memory.buffer, at + near.length * 32, far.length * 10)
        for (const [i, { shift }] of far.entries())
          words[i * 10] = i < smooth.length ? (shift / step) * nodeBytes : shift * sumBytes
        call(at)
      },
    )
  }
  const isShared = (array: ArrayBufferView) => array.buffer instanceof SharedArrayBuffer
  /** Calls `convert` with addresses of the two arrays, copying whichever lies outside the kernel memory. */
  const convert = (
    name: 'halfToFloat' | 'floatToHalf',
    out: Float32Array | Uint16Array,
    src: Float32Array | Uint16Array,
  ) => {
    const from = isShared(src) ? src.byteOffset : store.allocateBytes(src.byteLength)
    const to = isShared(out) ? out.byteOffset : store.allocateBytes(out.byteLength)
    try {
      const bytes = (array: ArrayBufferView) =>
        new Uint8Array(array.buffer, array.byteOffset, array.byteLength)
      const inside = (at: number, length: number) => new Uint8Array(store.memory.buffer, at, length)
      if (!isShared(src)) inside(from, src.byteLength).set(bytes(src))
      pool.run(name, [to, from], src.length, 1)
      if (!isShared(out)) bytes(out).set(inside(to, out.byteLength))
    } finally {
      if (!isShared(src)) store.releaseBytes(from)
      if (!isShared(out)) store.releaseBytes(to)
    }
  }
  return {
    run,
    withBytes,
    withScratch,
    withFloats,
    withDoubles,
    withTaps,
    withLineTaps,
    isShared,
    convert,
    store,
    pool,
    space,
    weighAt,
    conesAt,
  }
}
export type KernelCalls = ReturnType<typeof kernelCalls>

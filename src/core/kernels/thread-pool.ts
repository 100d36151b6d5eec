import { Cancelled } from '../cancelled.ts'
import { kernelsWasm, rowFunctions, type Exports } from './kernels.gen.ts'

export type RowFunction = (typeof rowFunctions)[number]
export type KernelExports = Exports
type AnyRows = (...args: number[]) => void
type BeforeRows<A> = A extends [...infer First, number, number] ? First : never
/** The arguments of a row function, without its rows. */
export type RowArguments<N extends RowFunction> = Readonly<BeforeRows<Parameters<Exports[N]>>>

let compiled: WebAssembly.Module | undefined

/** Instantiates the kernels on a shared memory. Every thread has an instance of its own on the same memory. */
export function instantiateKernels(memory: WebAssembly.Memory): KernelExports {
  compiled ??= new WebAssembly.Module(Uint8Array.from(atob(kernelsWasm), (c) => c.charCodeAt(0)))
  const abort = () => {
    throw new Error('Internal mistake: a kernel stopped')
  }
  const { exports } = new WebAssembly.Instance(compiled, { env: { memory, abort } })
  return exports as unknown as KernelExports
}

/** Memory for pictures, shared among the threads of a pool. `maximumMiB` is reserved, not used up front. */
export function createKernelMemory(maximumMiB: number): WebAssembly.Memory {
  return new WebAssembly.Memory({ initial: 256, maximum: maximumMiB * 16, shared: true })
}

// Words of the control block. A job is one call of a row function, cut into bands that threads fetch one by one.
const [generation, nextBand, bandCount, inside, functionIndex, argumentCount, rowCount, bandRows] = [
  0, 1, 2, 3, 4, 5, 6, 7,
]
/** Workers that have begun to wait for jobs, and whether the present job still takes some in. */
const [ready, isOpen] = [8, 9]
const argumentsAt = 64
const most = 16

/** The block through which the leading thread and its workers agree on work. */
export function createControl(): SharedArrayBuffer {
  return new SharedArrayBuffer(argumentsAt + most * 8)
}

/** Values of a band, about: small enough that work which is no longer wanted ends soon. */
const bandValues = 500_000

/**
 * So many looks at a word before a thread lies down to wait for it, a few hundredths of a millisecond: jobs follow each other closely, and being
 * woken takes longer than that.
 */
const looks = 2_000

/** Waits until a word is no longer `value`: 'timed-out' after so many milliseconds. */
function waitWhile(words: Int32Array, at: number, value: number, mostMs = Infinity): string {
  for (let i = 0; i < looks; i++) if (Atomics.load(words, at) !== value) return 'ok'
  return Atomics.wait(words, at, value, mostMs)
}

function workThrough(
  exports: KernelExports,
  words: Int32Array,
  args: Float64Array,
  isStale: () => boolean = () => false,
): void {
  const call: AnyRows = exports[rowFunctions[words[functionIndex]!]!]
  const own = Array.from(args.subarray(0, words[argumentCount]))
  const rows = words[rowCount]!
  const step = words[bandRows]!
  for (;;) {
    const band = Atomics.add(words, nextBand, 1)
    if (band >= words[bandCount]!) return
    call(...own, band * step, Math.min(rows, (band + 1) * step))
    // Bands that nobody has begun are taken away; those under way end by themselves.
    if (isStale()) Atomics.store(words, nextBand, words[bandCount]!)
  }
}

/** The life of a worker: waits for jobs and helps with them until its thread is ended. Blocks the thread. */
export function serveAsPoolWorker(memory: WebAssembly.Memory, control: SharedArrayBuffer): never {
  const exports = instantiateKernels(memory)
  const words = new Int32Array(control, 0, 16)
  const args = new Float64Array(control, argumentsAt, most)
  let seen = Atomics.load(words, generation)
  exports.setThread(Atomics.add(words, ready, 1) + 1)
  for (;;) {
    waitWhile(words, generation, seen)
    // From here on the job that is open waits for this thread; what it finds closed goes on without it.
    Atomics.add(words, inside, 1)
    seen = Atomics.load(words, generation)
    if (Atomics.load(words, isOpen) === 1) workThrough(exports, words, args)
    if (Atomics.sub(words, inside, 1) === 1) Atomics.notify(words, inside)
  }
}

/** Runs row functions: by itself, or together with workers that wait on the same control block. */
export class ThreadPool {
  private readonly words: Int32Array
  private readonly args: Float64Array
  private isStale: () => boolean = () => false

  constructor(
    readonly exports: KernelExports,
    control: SharedArrayBuffer,
    readonly workers: number,
  ) {
    this.words = new Int32Array(control, 0, 16)
    this.args = new Float64Array(control, argumentsAt, most)
  }

  /** From now on `isStale` is asked between bands of work; when it says so, the work ends with Cancelled. */
  watch(isStale: () => boolean): void {
    this.isStale = isStale
  }

  /** Calls `name(...args, y0, y1)` over all rows; `rowCost` is about the number of values in a row. Throws Cancelled. */
  run<N extends RowFunction>(name: N, args: RowArguments<N>, rows: number, rowCost: number): void {
    const { words, isStale } = this
    const numbers = args as readonly number[]
    if (isStale()) throw new Cancelled()
    // A worker that is still being started is not waited for.
    const there = this.workers === 0 ? 0 : Atomics.load(words, ready)
    const values = rows * rowCost
    const isAlone = there === 0 || values < 100_000
    if (rows < 2 || (isAlone && values < 2 * bandValues)) {
      const call: AnyRows = this.exports[name]
      call(...numbers, 0, rows)
      return
    }
    const helping = isAlone ? 0 : there
    const bands = Math.min(rows, Math.max((helping + 1) * 4, Math.ceil(values / bandValues)))
    words[functionIndex] = rowFunctions.indexOf(name)
    words[argumentCount] = numbers.length
    words[rowCount] = rows
    // Kernels take up to 32 rows together.
    const each = Math.ceil(rows / bands)
    words[bandRows] = each > 32 ? Math.ceil(each / 32) * 32 : each
    words[bandCount] = Math.ceil(rows / words[bandRows])
    this.args.set(numbers)
    Atomics.store(words, nextBand, 0)
    if (helping > 0) {
      Atomics.store(words, isOpen, 1)
      Atomics.add(words, generation, 1)
      Atomics.notify(words, generation)
    }
    try {
      workThrough(this.exports, words, this.args, isStale)
    } finally {
      if (helping > 0) this.close()
    }
    if (isStale()) throw new Cancelled()
  }

  /** Ends a job: who comes now comes too late and is not waited for; who is at it is. */
  private close(): void {
    const { words } = this
    Atomics.store(words, isOpen, 0)
    for (let left = Atomics.load(words, inside); left > 0; left = Atomics.load(words, inside))
      if (waitWhile(words, inside, left, 10_000) === 'timed-out')
        throw new Error('A computing thread stopped answering; reload to start it again')
  }
}

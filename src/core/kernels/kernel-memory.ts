import { OutOfMemoryError, type Picture, type PictureStore } from '../picture/picture.ts'

const page = 65536
const align = 64

/**
 * Hands out pictures inside one growing WebAssembly memory: first fit in a list of free spans, neighbours merged
 * when given back. One thread owns it; other threads only compute on the pictures.
 */
export class KernelMemory implements PictureStore {
  /** Free spans [start, end) by rising start. */
  private readonly free: [number, number][]
  private readonly taken = new Map<number, number>()
  usedBytes = 0

  constructor(
    readonly memory: WebAssembly.Memory,
    heapBase: number,
  ) {
    this.free = [[Math.ceil(heapBase / align) * align, memory.buffer.byteLength]]
  }

  /** Takes a span of bytes, aligned to 64. */
  allocateBytes(bytes: number): number {
    const size = Math.max(align, Math.ceil(bytes / align) * align)
    let slot = this.free.findIndex(([start, end]) => end - start >= size)
    if (slot < 0) {
      this.grow(size)
      slot = this.free.length - 1
    }
    const span = this.free[slot]!
    const start = span[0]
    span[0] += size
    if (span[0] === span[1]) this.free.splice(slot, 1)
    this.taken.set(start, size)
    this.usedBytes += size
    return start
  }

  releaseBytes(start: number): void {
    const size = this.taken.get(start)
    if (size === undefined) throw new Error('Internal mistake: a span of memory was given back twice')
    this.taken.delete(start)
    this.usedBytes -= size
    let i = this.free.findIndex(([s]) => s > start)
    if (i < 0) i = this.free.length
    this.free.splice(i, 0, [start, start + size])
    if (this.free[i + 1]?.[0] === this.free[i]![1]) this.free[i]![1] = this.free.splice(i + 1, 1)[0]![1]
    if (i > 0 && this.free[i - 1]![1] === this.free[i]![0])
      this.free[i - 1]![1] = this.free.splice(i, 1)[0]![1]
  }

  allocate(width: number, height: number, channels: 1 | 4): Picture {
    const at = this.allocateBytes(width * height * channels * 4)
    return {
      width,
      height,
      channels,
      at,
      data: new Float32Array(this.memory.buffer, at, width * height * channels),
    }
  }

  release(picture: Picture): void {
    this.releaseBytes(picture.at)
  }

  private grow(size: number): void {
    const end = this.memory.buffer.byteLength
    const last = this.free.at(-1)
    const start = last?.[1] === end ? last[0] : end
    const missing = size - (end - start)
    // Grow by an eighth at least: growing is a system call, and asking for single pictures would make many.
    if (!this.tryGrow(Math.max(missing, end / 8)) && !this.tryGrow(missing)) throw new OutOfMemoryError(size)
    if (start === end) this.free.push([end, this.memory.buffer.byteLength])
    else last![1] = this.memory.buffer.byteLength
  }

  private tryGrow(bytes: number): boolean {
    try {
      this.memory.grow(Math.ceil(bytes / page))
      return true
    } catch {
      return false
    }
  }
}

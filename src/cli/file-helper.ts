import { existsSync } from 'node:fs'
import { Worker } from 'node:worker_threads'
import type { PassBlock } from '../core/formats/pass-block.ts'
import type { FileOrder, FileResult, ReadOrder, WriteOrder } from './file-thread.ts'
import { UsageError } from './usage-error.ts'

/** Beside the bundle; where the sources run as they are there is none. */
const threadFile = new URL('./file-thread.mjs', import.meta.url)
export const hasFileThread = (): boolean => existsSync(threadFile)

type Outcome = PassBlock | undefined

function failure({ message, code, isUsage }: NonNullable<FileResult['problem']>): Error {
  if (isUsage && code !== undefined) return new UsageError(code, message)
  return Object.assign(new Error(message), code === undefined ? {} : { code })
}

/** Files are read and written on a thread of their own, while a frame is computed. */
export class FileHelper {
  /** A library that reads TIFF looks into what its thread was given. */
  private readonly thread = new Worker(threadFile, { workerData: {} })
  private readonly waiting = new Map<
    number,
    { resolve: (outcome: Outcome) => void; reject: (error: Error) => void }
  >()
  private next = 0

  constructor() {
    this.thread.unref()
    this.thread.on('message', ({ id, block, problem }: FileResult) => {
      const asked = this.waiting.get(id)
      this.waiting.delete(id)
      if (problem) asked?.reject(failure(problem))
      else asked?.resolve(block)
    })
    this.thread.on('error', (error) => {
      for (const { reject } of this.waiting.values()) reject(error)
      this.waiting.clear()
    })
  }

  /** A pass of a file. Rejects with UsageError where the file can not be read. */
  async read(order: ReadOrder): Promise<PassBlock> {
    return (await this.ask(order))!
  }

  /** Writes a picture, whole; its memory is given away. */
  async write(order: WriteOrder): Promise<void> {
    await this.ask(order, [order.picture.data.buffer as ArrayBuffer])
  }

  async close(): Promise<void> {
    await this.thread.terminate()
  }

  private ask(order: ReadOrder | WriteOrder, given: readonly ArrayBuffer[] = []): Promise<Outcome> {
    const id = this.next++
    return new Promise((resolve, reject) => {
      this.waiting.set(id, { resolve, reject })
      const asked: FileOrder = { id, ...order }
      this.thread.postMessage(asked, given)
    })
  }
}

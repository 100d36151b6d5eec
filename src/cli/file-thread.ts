import { parentPort } from 'node:worker_threads'
import type { ReadAs } from '../core/comp/media.ts'
import type { PassBlock } from '../core/formats/pass-block.ts'
import { encodePicture, type FileChoice, type OwnFormat } from '../core/formats/write-picture.ts'
import { numberToHalf } from '../core/picture/half.ts'
import type { Picture } from '../core/picture/picture.ts'
import type { MediaFile } from '../server/media/media-file.ts'
import { nodeZlib } from '../server/media/node-zlib.ts'
import { writeWhole } from '../server/whole-file.ts'
import { openInput } from './inspect.ts'
import { UsageError } from './usage-error.ts'

// Reads passes out of files, and writes pictures into them, beside the thread that computes.

export interface ReadOrder {
  readonly read: string
  readonly pass: string
  readonly as: ReadAs
}

export interface WriteOrder {
  readonly write: string
  readonly picture: Picture
  readonly format: OwnFormat
  readonly name: string
  readonly dither: number | undefined
  readonly exr: FileChoice
}

export type FileOrder = { readonly id: number } & (ReadOrder | WriteOrder)

export interface FileResult {
  readonly id: number
  readonly block?: PassBlock
  readonly problem?: { readonly message: string; readonly code?: string; readonly isUsage: boolean }
}

/** Files that are kept open: of one frame and the next. */
const mostOpen = 3

/** The plain twin of the kernel, which lives in another thread's memory. */
const kernels = {
  floatToHalf(out: Uint16Array, values: Float32Array): void {
    for (let i = 0; i < values.length; i++) out[i] = numberToHalf(values[i]!)
  },
}

if (parentPort) {
  const port = parentPort
  const opened = new Map<string, Promise<MediaFile>>()
  const read = async ({ read: file, pass, as }: ReadOrder): Promise<PassBlock> => {
    const known = opened.get(file) ?? openInput(file)
    // The one that was asked for last is let go last.
    opened.delete(file)
    opened.set(file, known)
    for (const old of [...opened.keys()].slice(0, -mostOpen)) opened.delete(old)
    const block = (await known).readPass(pass, as)
    // What is shared with other passes is not given away.
    const isOwn = block.data.byteLength === block.data.buffer.byteLength
    return isOwn ? block : { ...block, data: block.data.slice() }
  }
  const write = async ({ write: file, picture, format, name, dither, exr }: WriteOrder): Promise<void> => {
    await writeWhole(file, encodePicture(picture, format, name, kernels, nodeZlib, dither, exr))
  }
  const answer = async (order: FileOrder): Promise<void> => {
    const { id } = order
    try {
      let block: PassBlock | undefined
      if ('read' in order) block = await read(order)
      else await write(order)
      const result: FileResult = block ? { id, block } : { id }
      port.postMessage(result)
    } catch (error) {
      const message = error instanceof Error ? error.message : String(error)
      const code = error instanceof Error && 'code' in error ? { code: String(error.code) } : {}
      const result: FileResult = { id, problem: { message, ...code, isUsage: error instanceof UsageError } }
      port.postMessage(result)
    }
  }
  let before: Promise<void> = Promise.resolve()
  port.on('message', (order: FileOrder) => {
    before = before.then(() => answer(order))
  })
}

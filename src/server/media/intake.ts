import { stat } from 'node:fs/promises'
import { join } from 'node:path'
import type { Pool } from 'mysql2/promise'
import { Worker } from 'node:worker_threads'
import { freshMediaRef, insertFrame, insertMedia } from '../db/media.ts'
import { inTransaction } from '../db/pool.ts'
import type { MediaInfo } from './media-file.ts'
import { storeFile } from './store.ts'

/** A file that can not be brought in, and why, in words for the person who brought it. */
export class IntakeError extends Error {
  override name = 'IntakeError'
  constructor(
    readonly fileName: string,
    reason: string,
  ) {
    super(`${fileName}: ${reason}`)
  }
}

const timeLimitMs = 60_000

/** Decodes a stored file in a thread with limits on time and memory. Rejects with IntakeError. */
export async function decodeInThread(hash: string, fileName: string): Promise<MediaInfo> {
  const thread = new Worker(join(/*turbopackIgnore: true*/ process.cwd(), 'dist', 'decode-thread.mjs'), {
    workerData: { hash },
    resourceLimits: { maxOldGenerationSizeMb: 2048 },
  })
  try {
    return await new Promise<MediaInfo>((resolve, reject) => {
      const refuse = (reason: string) => {
        reject(new IntakeError(fileName, reason))
      }
      const timer = setTimeout(() => {
        refuse(`Reading took longer than ${timeLimitMs / 1000} s and was stopped`)
      }, timeLimitMs)
      thread.on('message', (message: { info: MediaInfo } | { problem: string }) => {
        clearTimeout(timer)
        if ('info' in message) resolve(message.info)
        else refuse(message.problem)
      })
      thread.on('error', (error) => {
        clearTimeout(timer)
        refuse(`Reading failed (${error.message})`)
      })
    })
  } finally {
    void thread.terminate()
  }
}

/** Frame number in a file name: the last digits before the ending ('grotto.0001.exr' → 1). */
export function frameNumber(fileName: string): number | undefined {
  const digits = /[._-](\d+)\.[^.]+$/.exec(fileName)?.[1]
  return digits === undefined ? undefined : Number(digits)
}

/** The name without frame number and ending. */
export function mediaName(fileName: string): string {
  return fileName.replace(/([._-]\d+)?\.[^.]+$/, '') || fileName
}

/** Brings a file into a shot as media of one frame. Gives back the ref that comps use, and what the file holds. */
export async function bringIn(
  pool: Pool,
  shotId: string,
  path: string,
  fileName: string,
): Promise<{ ref: string; info: MediaInfo }> {
  const hash = await storeFile(path)
  const info = await decodeInThread(hash, fileName)
  const { size } = await stat(path)
  const ref = await inTransaction(pool, async (db) => {
    const ref = await freshMediaRef(db, shotId)
    await insertMedia(db, shotId, ref, mediaName(fileName), info.passes)
    const { width, height, warnings } = info
    await insertFrame(db, shotId, ref, {
      frame: frameNumber(fileName) ?? 1,
      fileHash: hash,
      fileName,
      bytes: size,
      width,
      height,
      warnings,
    })
    return ref
  })
  return { ref, info }
}

import { stat } from 'node:fs/promises'
import { join } from 'node:path'
import type { Pool } from 'mysql2/promise'
import { Worker } from 'node:worker_threads'
import { findSequence, freshMediaRef, insertFrame, insertMedia } from '../db/media.ts'
import { inTransaction } from '../db/pool.ts'
import { lockShot } from '../db/shots.ts'
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

/**
 * Frame number in a file name: the last digits before the ending, after a dot, a line or an underscore
 * ('grotto.0001.exr' → 1, 'grotto-12.png' → 12, 'grotto.-003.exr' → −3).
 */
export function frameNumber(fileName: string): number | undefined {
  const found = /(?:[._](-?\d+)|-(\d+))\.[^.]+$/.exec(fileName)
  const digits = found?.[1] ?? found?.[2]
  return digits === undefined ? undefined : Number(digits)
}

/** The name without frame number and ending: files that share it are frames of one sequence. */
export function mediaName(fileName: string): string {
  return fileName.replace(/(?:[._]-?\d+|-\d+)?\.[^.]+$/, '') || fileName
}

/**
 * Brings a file into a shot. A numbered file joins the media of the same name when it holds the same passes, in place of
 * a frame that was there; anything else becomes media of its own. Gives back the ref that comps use, and what the file holds.
 */
export async function bringIn(
  pool: Pool,
  shotId: string,
  path: string,
  fileName: string,
): Promise<{ ref: string; info: MediaInfo }> {
  const hash = await storeFile(path)
  const info = await decodeInThread(hash, fileName)
  const { size } = await stat(path)
  const number = frameNumber(fileName)
  const ref = await inTransaction(pool, async (db) => {
    // One file of a shot at a time, so that two frames that arrive together become one sequence.
    await lockShot(db, shotId)
    const known =
      number === undefined ? undefined : await findSequence(db, shotId, mediaName(fileName), info.passes)
    const ref = known ?? (await freshMediaRef(db, shotId))
    if (known === undefined) await insertMedia(db, shotId, ref, mediaName(fileName), info.passes)
    const { width, height, warnings } = info
    await insertFrame(db, shotId, ref, {
      frame: number ?? 1,
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

import { setTimeout as sleep } from 'node:timers/promises'
import { nextFrames } from '../db/farm.ts'
import { orderMark } from '../db/order.ts'
import { withDb } from '../db/pool.ts'
import { loggerOf, told } from '../log.ts'
import { noteQueueProblem } from './queue-state.ts'
import type { FrameKey } from './frame-key.ts'
import type { FrameQueue } from './queue.ts'

const everyMs = 300
/** Few frames are in the queue at a time, so that another order takes effect soon. */
const [fewest, mostAtOnce] = [60, 240]

/** So long nobody is on the way with a frame that the database says waits. */
const lostMs = 8000

/**
 * Takes frames out of the queue that it takes for handed out although the database says that they wait, and has said so for a while: who had them is gone,
 * and the queue's own clock may be hours away. They come in again.
 */
async function forgetLost(
  queue: FrameQueue,
  frames: readonly FrameKey[],
  since: Map<string, number>,
): Promise<void> {
  const name = ({ renderId, frame }: FrameKey) => `${renderId} ${frame}`
  const waiting = new Set(frames.map(name))
  const held = (await queue.handedOut()).filter((key) => waiting.has(name(key)))
  const now = performance.now()
  for (const key of [...since.keys()]) if (!held.some((one) => name(one) === key)) since.delete(key)
  for (const one of held) {
    const first = since.get(name(one)) ?? now
    since.set(name(one), first)
    if (now - first < lostMs) continue
    since.delete(name(one))
    await queue.forget(one)
  }
}

/** Keeps frames in the queue as the database says they come; goes on for ever, whatever fails meanwhile. */
export async function keepFed(queue: FrameQueue, isOver: () => boolean): Promise<void> {
  let order: number | undefined
  const lost = new Map<string, number>()
  let isWatching = false
  let saidAway = false
  while (!isOver()) {
    try {
      if (!isWatching) {
        await queue.watch()
        isWatching = true
      }
      const mark = await withDb(orderMark)
      if (order !== mark) await queue.clear()
      order = mark
      if ((await queue.waiting()) < fewest) {
        const frames = await withDb((db) => nextFrames(db, mostAtOnce))
        if (frames.length > 0) {
          await queue.add(frames)
          await forgetLost(queue, frames, lost)
        }
      }
      saidAway = false
      noteQueueProblem(null)
    } catch (error) {
      const words = error instanceof Error ? error.message : String(error)
      noteQueueProblem(words)
      if (!saidAway) loggerOf('queue of renders').error(told(error), words)
      saidAway = true
      await sleep(1000)
    }
    await sleep(everyMs)
  }
}

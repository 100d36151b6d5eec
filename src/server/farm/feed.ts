import { setTimeout as sleep } from 'node:timers/promises'
import { nextFrames } from '../db/farm.ts'
import { orderMark } from '../db/order.ts'
import { withDb } from '../db/pool.ts'
import { noteQueueProblem } from './queue-state.ts'
import type { FrameQueue } from './queue.ts'

const everyMs = 300
/** Few frames are in the queue at a time, so that another order takes effect soon. */
const [fewest, mostAtOnce] = [60, 240]

/** Keeps frames in the queue as the database says they come; goes on for ever, whatever fails meanwhile. */
export async function keepFed(queue: FrameQueue, isOver: () => boolean): Promise<void> {
  let order: number | undefined
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
        if (frames.length > 0) await queue.add(frames)
      }
      saidAway = false
      noteQueueProblem(null)
    } catch (error) {
      const words = error instanceof Error ? error.message : String(error)
      noteQueueProblem(words)
      if (!saidAway) console.error('queue of renders:', words)
      saidAway = true
      await sleep(1000)
    }
    await sleep(everyMs)
  }
}

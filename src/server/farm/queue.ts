import { Queue, Worker, type Job } from 'bullmq'
import { Redis } from 'ioredis'
import type { FrameKey } from './frame-key.ts'

/** The queue does not answer; what needs it waits. */
export class QueueUnreachable extends Error {
  override name = 'QueueUnreachable'
  constructor(cause: unknown) {
    super('The queue of renders does not answer. It is started again by itself; renders go on then.', {
      cause,
    })
  }
}

const queueName = 'frames'
/** A frame whose worker has said nothing for so long is handed to another. */
const lockMs = 20_000
const stalledMs = 5000
/** A command that takes longer will not come back. */
const patienceMs = 4000

/** Where the queue is: ZAFIRO_QUEUE, as 'redis+unix:///path?password=…'. */
function connectionOf() {
  const uri = process.env['ZAFIRO_QUEUE']
  if (!uri) throw new QueueUnreachable(new Error('ZAFIRO_QUEUE is not set'))
  const { pathname, searchParams } = new URL(uri)
  return {
    path: decodeURIComponent(pathname),
    password: searchParams.get('password') ?? '',
    maxRetriesPerRequest: null,
    retryStrategy: (times: number) => Math.min(1000, 50 * times),
  }
}

async function inTime<T>(work: Promise<T>): Promise<T> {
  let timer: NodeJS.Timeout | undefined
  const late = new Promise<never>((_, reject) => {
    timer = setTimeout(() => {
      reject(new QueueUnreachable(new Error('no answer in time')))
    }, patienceMs)
  })
  try {
    return await Promise.race([work, late])
  } finally {
    clearTimeout(timer)
  }
}

const jobId = ({ renderId, frame }: FrameKey) => `${renderId}_${frame}`

/** Hands out frames: BullMQ on Redis. What is not in it is made again from the database. Everything here throws QueueUnreachable. */
export class FrameQueue {
  private readonly queue: Queue<FrameKey>
  private readonly worker: Worker<FrameKey>
  /** For what BullMQ has no words for. */
  private redis: Redis | undefined

  constructor() {
    const connection = connectionOf()
    this.queue = new Queue(queueName, { connection })
    this.worker = new Worker(queueName, null, {
      connection,
      autorun: false,
      lockDuration: lockMs,
      stalledInterval: stalledMs,
      // How often a frame may be lost is counted in the database.
      maxStalledCount: 1_000_000,
    })
    const quiet = () => undefined
    this.queue.on('error', quiet)
    this.worker.on('error', quiet)
  }

  /** Lets frames come back whose workers have gone silent. */
  async watch(): Promise<void> {
    await inTime(this.worker.startStalledCheckTimer())
  }

  /** Frames that wait in it. */
  async waiting(): Promise<number> {
    return inTime(this.queue.getWaitingCount())
  }

  /** Adds frames behind those that wait; one that is in it already stays where it is. */
  async add(frames: readonly FrameKey[]): Promise<void> {
    const options = { removeOnComplete: true, removeOnFail: true }
    await inTime(
      this.queue.addBulk(
        frames.map((frame) => ({ name: 'frame', data: frame, opts: { ...options, jobId: jobId(frame) } })),
      ),
    )
  }

  /** Frames that are handed out, as the queue knows them. */
  async handedOut(): Promise<FrameKey[]> {
    const jobs = await inTime(this.queue.getActive())
    return jobs.flatMap((job: Job<FrameKey> | undefined) => (job ? [job.data] : []))
  }

  /** Forgets a frame, whoever has it. */
  async forget(key: FrameKey): Promise<void> {
    const job = await this.job(key)
    if (!job) return
    this.redis ??= new Redis(connectionOf()).on('error', () => undefined)
    await inTime(this.redis.del(this.queue.toKey(`${jobId(key)}:lock`)))
    await inTime(job.remove())
  }

  /** Takes out what waits, so that it can be put in in another order. */
  async clear(): Promise<void> {
    await inTime(this.queue.drain())
  }

  /** The next frame, under a token; undefined when none waits. */
  async take(token: string): Promise<FrameKey | undefined> {
    // Its types do not say that there may be none.
    const job = (await inTime(this.worker.getNextJob(token, { block: false }))) as Job<FrameKey> | undefined
    return job?.data
  }

  private async job(key: FrameKey): Promise<Job<FrameKey> | undefined> {
    return inTime(this.queue.getJob(jobId(key)))
  }

  /** Says that whoever has a frame is still there. */
  async extend(key: FrameKey, token: string): Promise<void> {
    const job = await this.job(key)
    // Lost with the queue's memory: the database knows whose it is.
    await inTime(job?.extendLock(token, lockMs) ?? Promise.resolve(0)).catch((error: unknown) => {
      if (error instanceof QueueUnreachable) throw error
    })
  }

  /** Takes a frame out, because it has ended or waits anew. */
  async release(key: FrameKey, token: string): Promise<void> {
    const job = await this.job(key)
    await inTime(job?.moveToCompleted(null, token, false) ?? Promise.resolve()).catch((error: unknown) => {
      if (error instanceof QueueUnreachable) throw error
    })
  }

  async close(): Promise<void> {
    this.redis?.disconnect()
    await Promise.all([this.worker.close(true), this.queue.close()])
  }
}

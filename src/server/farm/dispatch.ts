import { randomBytes } from 'node:crypto'
import { mkdir, readdir, rename, rm, stat } from 'node:fs/promises'
import { join } from 'node:path'
import {
  deliveryOf,
  failFrame,
  findPlan,
  finishFrame,
  freeLost,
  handFrame,
  heldBy,
  noteWorker,
  postponeFrame,
  reportFrames,
  roomOf,
  type FrameResult,
  type Handed,
  type RenderPlan,
  type WorkerState,
} from '../db/farm.ts'
import { withDb } from '../db/pool.ts'
import { folders } from '../home.ts'
import { undelivered } from '../render/deliver.ts'
import { syncFolder } from '../whole-file.ts'
import { FrameQueue } from './queue.ts'

export interface WorkDone extends FrameResult {
  readonly handed: Handed
}

/** Where a worker gets its frames from and brings them to: this installation, or one on another machine. */
export interface Dispatch {
  /** Says that a seat is taken, anew where it was before: what it had then waits again. Throws where its build is another. */
  arrive(worker: WorkerState): Promise<void>
  /** Frames to work on; none while there is nothing to do. */
  take(worker: WorkerState, most: number): Promise<readonly Handed[]>
  /** What a render is made of; undefined when it has been deleted. */
  plan(renderId: string): Promise<RenderPlan | undefined>
  /** Says how far frames are; gives back the tokens of those that are still wanted. */
  report(frames: readonly HeldFrame[]): Promise<readonly string[]>
  /** Folder in which the files of a frame are written. */
  folderOf(handed: Handed): string
  /** Brings the files of a frame, which lie in its folder; false where it is not wanted any more. */
  finish(done: WorkDone): Promise<boolean>
  fail(handed: Handed, problem: string): Promise<void>
  /** Gives a frame back, which is not counted against it. */
  postpone(handed: Handed, problem: string | null): Promise<void>
}

export interface HeldFrame {
  readonly handed: Handed
  readonly progress: number
}

/** Files that are not a render's yet, by token. */
export const comingFolder = join(/*turbopackIgnore: true*/ folders.renders, '.coming')
export const stagingOf = (token: string): string => join(/*turbopackIgnore: true*/ comingFolder, token)

const newToken = () => randomBytes(18).toString('base64url')

/** Frames of this installation: out of its queue and its database, into its folder of renders. */
export class LocalDispatch implements Dispatch {
  /** When each seat was noted last. */
  private readonly noted = new Map<string, number>()

  constructor(private readonly queue: FrameQueue) {}

  async arrive(worker: WorkerState): Promise<void> {
    await withDb(async (db) => {
      await noteWorker(db, worker)
      for (const key of await heldBy(db, worker.seat)) {
        // Without the queue it comes back a little later by itself.
        await this.queue.release(key, key.token).catch(() => undefined)
        await rm(stagingOf(key.token), { recursive: true, force: true })
      }
      await freeLost(db, worker.seat)
    })
  }

  async take(worker: WorkerState, most: number): Promise<readonly Handed[]> {
    const now = performance.now()
    if (now - (this.noted.get(worker.seat) ?? -Infinity) > 1500) {
      this.noted.set(worker.seat, now)
      await withDb((db) => noteWorker(db, worker))
    }
    const room = Math.min(most, await withDb((db) => roomOf(db, worker.seat)))
    const taken: Handed[] = []
    while (taken.length < room) {
      const token = newToken()
      const key = await this.queue.take(token)
      if (!key) break
      let handed: Handed | undefined
      try {
        handed = await withDb((db) => handFrame(db, { ...key, token }, worker.seat))
      } catch (error) {
        // Out of the queue again, or nobody gets it until the queue misses whoever took it. The database says that it waits, so it comes in anew.
        await this.queue.release(key, token).catch(() => undefined)
        // What was taken before is worked on all the same.
        if (taken.length === 0) throw error
        break
      }
      if (handed) taken.push(handed)
      else await this.queue.release(key, token)
    }
    return taken
  }

  plan(renderId: string): Promise<RenderPlan | undefined> {
    return withDb((db) => findPlan(db, renderId))
  }

  async report(frames: readonly HeldFrame[]): Promise<readonly string[]> {
    const told = frames.map(({ handed, progress }) => ({ ...handed, progress }))
    const ours = await withDb((db) => reportFrames(db, told))
    for (const { handed } of frames)
      if (ours.includes(handed.token)) await this.queue.extend(handed, handed.token).catch(() => undefined)
    return ours
  }

  folderOf({ token }: Handed): string {
    return stagingOf(token)
  }

  async finish({ handed, ...result }: WorkDone): Promise<boolean> {
    const from = stagingOf(handed.token)
    const to = join(folders.renders, handed.renderId)
    const isOurs = await withDb((db) =>
      finishFrame(db, handed, result, async () => {
        await mkdir(to, { recursive: true })
        for (const name of result.files) await moveOnce(join(from, name), join(to, name))
        await syncFolder(to)
        return this.deliver(handed.renderId, to, result.files)
      }),
    )
    await rm(from, { recursive: true, force: true })
    await this.queue.release(handed, handed.token).catch(() => undefined)
    return isOurs
  }

  /** Puts files where the render wants them, too; says in words what kept them from there. */
  private async deliver(renderId: string, from: string, files: readonly string[]): Promise<string | null> {
    const wanted = await withDb((db) => deliveryOf(db, renderId))
    return wanted ? undelivered(wanted, from, files) : null
  }

  async fail(handed: Handed, problem: string): Promise<void> {
    await withDb((db) => failFrame(db, handed, problem))
    await this.drop(handed)
  }

  async postpone(handed: Handed, problem: string | null): Promise<void> {
    await withDb((db) => postponeFrame(db, handed, problem))
    await this.drop(handed)
  }

  private async drop(handed: Handed): Promise<void> {
    await rm(stagingOf(handed.token), { recursive: true, force: true })
    await this.queue.release(handed, handed.token).catch(() => undefined)
  }
}

/** Moves a file that may have been moved already. */
async function moveOnce(from: string, to: string): Promise<void> {
  try {
    await rename(from, to)
  } catch (error) {
    if (error instanceof Error && 'code' in error && error.code === 'ENOENT' && (await isThere(to))) return
    throw error
  }
}

const isThere = (path: string) =>
  stat(path).then(
    () => true,
    () => false,
  )

const dayMs = 86_400e3

/** Takes away what workers left behind that never came back. */
export async function clearComing(now = Date.now()): Promise<void> {
  for (const name of await readdir(comingFolder).catch(() => [])) {
    const path = join(comingFolder, name)
    const found = await stat(path).catch(() => undefined)
    if (found && now - found.mtimeMs > dayMs) await rm(path, { recursive: true, force: true })
  }
}

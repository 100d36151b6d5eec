import type { RenderPlan } from '../db/farm.ts'
import type { ServerAt } from '../farm/remote-dispatch.ts'

// What a render worker and its threads say to each other.

/** Renders that a thread remembers; its worker counts them the same way. */
export const mostPlans = 8

/** How a thread is set up: the server it works for, where that is on another machine, and how many cores it has. */
export interface RenderThreadData {
  readonly server?: ServerAt | undefined
  readonly threads: number
}

/** One frame to render; what its render is made of comes with the first frame of it. */
export interface RenderOrder {
  /** Of its render, and of what that was made of then. */
  readonly key: string
  readonly plan?: RenderPlan | undefined
  readonly frame: number
  /** The frame that comes after it, where it is known. */
  readonly next?: number | undefined
  readonly folder: string
}

/** What the thread says while it works on a frame. */
export type RenderMessage =
  | { readonly type: 'progress'; readonly progress: number }
  | {
      readonly type: 'done'
      readonly files: readonly string[]
      readonly warnings: readonly string[]
      readonly key: string
      readonly ms: number
    }
  /** `isForNow`: the disk is full or the server away; it can be made later. */
  | { readonly type: 'failed'; readonly problem: string; readonly isForNow?: boolean }

import type { Patch } from 'immer'
import type { MediaTable } from '../../core/comp/media.ts'
import type { Comp } from '../../core/comp/schema.ts'
import type { Answer, Class, Kind, Wish } from '../../core/engine/session/requests.ts'

export interface StartMessage {
  readonly type: 'start'
  readonly memory: WebAssembly.Memory
  readonly control: SharedArrayBuffer
  readonly workers: number
  readonly flags: SharedArrayBuffer
  readonly budgetBytes: number
  /** To the thread that fetches passes. */
  readonly files: MessagePort
}
/** What an engine asks the thread that fetches for, and what that says. */
export type BytesWanted =
  { readonly id: number; readonly url: string } | { readonly id: number; readonly isGivenUp: true }
export type BytesReply =
  { readonly id: number; readonly bytes: ArrayBuffer } | { readonly id: number; readonly error: string }
/** Comps of a wish travel as what makes them of the comp of the shot. */
export type WireWish<K extends Kind> = Omit<Wish<K>, 'comps'> & {
  readonly comps?: readonly (readonly Patch[])[]
}
export interface RequestMessage<K extends Kind = Kind> {
  readonly type: 'request'
  readonly id: number
  readonly kind: K
  readonly class: Class
  readonly wish: WireWish<K>
}
/** What the page tells its engine. The comp is sent once, and then what changes in it; a request is about what was sent before it. */
export type EngineMessage =
  | StartMessage
  | { readonly type: 'comp'; readonly comp: Comp }
  | { readonly type: 'patches'; readonly patches: readonly Patch[] }
  | { readonly type: 'media'; readonly media: MediaTable }
  | RequestMessage

/** What the engine says; each request has one of these. */
export type EngineReply =
  | { readonly type: 'answer'; readonly id: number; readonly value: Answer<Kind> }
  | { readonly type: 'given-up'; readonly id: number }
  /** Memory ran out: a smaller picture may still be made. */
  | { readonly type: 'failed'; readonly id: number; readonly message: string; readonly isMemory: boolean }

/** Words that page and engine share: how many pictures have been asked for, and the ids of requests that are no longer wanted. */
export class SharedFlags {
  private static readonly slots = 256
  private readonly words: Int32Array

  constructor(readonly buffer = new SharedArrayBuffer(4 * (1 + SharedFlags.slots))) {
    this.words = new Int32Array(buffer)
  }

  get pictures(): number {
    return Atomics.load(this.words, 0)
  }
  countPicture(): void {
    Atomics.add(this.words, 0, 1)
  }
  giveUp(id: number): void {
    Atomics.store(this.words, 1 + (id % SharedFlags.slots), id)
  }
  isGivenUp(id: number): boolean {
    return Atomics.load(this.words, 1 + (id % SharedFlags.slots)) === id
  }
}

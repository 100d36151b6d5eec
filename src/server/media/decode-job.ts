import type { Pass } from '../../core/comp/media.ts'
import type { TakeOptions } from './take-shares.ts'
import type { PassForm } from './store.ts'

/** What a decoding process is asked for, and what it answers. */
export type DecodeJob =
  | { readonly type: 'take'; readonly hash: string; readonly options: TakeOptions }
  | { readonly type: 'form'; readonly hash: string; readonly form: PassForm }
  | {
      readonly type: 'rows'
      readonly hash: string
      readonly form: PassForm
      readonly rows: readonly [from: number, to: number]
    }
  | { readonly type: 'objects'; readonly hash: string; readonly pass: Pass }
export type DecodeReply =
  { readonly result: unknown } | { readonly problem: string; readonly isFull: boolean }

import type { Pass } from '../../core/comp/media.ts'
import type { TakeOptions } from './take-shares.ts'
import type { PassForm } from './store.ts'

/** Rows from one to before another. */
export type RowSpan = readonly [from: number, to: number]

/** What a decoding process is asked for, and whether the file is known to be whole. */
export type DecodeJob = DecodeWork & { readonly isWhole?: boolean }
export type DecodeWork =
  | { readonly type: 'take'; readonly hash: string; readonly options: TakeOptions }
  | { readonly type: 'form'; readonly hash: string; readonly form: PassForm }
  | {
      readonly type: 'rows'
      readonly hash: string
      readonly form: PassForm
      /** Of the canvas, in one or more spans. */
      readonly rows: readonly RowSpan[]
      readonly columns?: readonly [from: number, to: number]
      /** Which of the decoders is to do it, as it keeps what it unpacked of these rows. */
      readonly seat?: number
    }
  | { readonly type: 'objects'; readonly hash: string; readonly pass: Pass }
/** What it answers. */
export type DecodeReply =
  { readonly result: unknown } | { readonly problem: string; readonly isFull: boolean }

/** How far what is here has been saved; `at` in milliseconds. */
export type SaveState =
  | { readonly type: 'saved'; readonly at: number }
  | { readonly type: 'waiting' | 'saving' }
  | { readonly type: 'failed'; readonly message: string }
  /** The server will not take what is here, however often it is sent: it has to be changed, or kept as a file. */
  | { readonly type: 'refused'; readonly message: string; readonly problems: readonly string[] }
  /** Someone else has saved since; `revision` is theirs. Nothing is written until it is decided whose counts. */
  | { readonly type: 'conflict'; readonly revision: number; readonly savedAt: string }

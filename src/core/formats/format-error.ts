/** A file that can not be read: its format, where in the file (−1 where the detail says it), and what is wrong there. */
export class FormatError extends Error {
  override name = 'FormatError'
  constructor(
    readonly format: string,
    readonly offset: number,
    readonly detail: string,
  ) {
    super(`Not a readable ${format.toUpperCase()} file: ${detail}${offset < 0 ? '' : ` (at byte ${offset})`}`)
  }
}

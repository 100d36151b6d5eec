/** A file that can not be read: its format, where in the file, and what is wrong there. */
export class FormatError extends Error {
  override name = 'FormatError'
  constructor(
    readonly format: string,
    readonly offset: number,
    readonly detail: string,
  ) {
    super(`Not a readable ${format.toUpperCase()} file: ${detail} (at byte ${offset})`)
  }
}

/** Something on the command line, or in a file it names, that can not be used. Ends the command with status 2. */
export class UsageError extends Error {
  override name = 'UsageError'
  constructor(
    readonly code: string,
    message: string,
  ) {
    super(message)
  }
}

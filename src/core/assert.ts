/** Stops on a mistake of our own; never used for data from outside. */
export function assert(condition: unknown, sentence: string): asserts condition {
  if (!condition) throw new Error(`Internal mistake: ${sentence}`)
}

/** Ends the branches of a closed union: a new member that is not handled does not compile. */
export function assertNever(value: never): never {
  throw new Error(`Internal mistake: unexpected ${JSON.stringify(value)}`)
}

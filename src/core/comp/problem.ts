/** Something that does not fit, where it stands, in words a finisher understands. */
export interface Problem {
  /** Dotted path of the value ('lanes.0.steps.1.dials.threshold'), or '' for the whole. */
  readonly path: string
  readonly message: string
}

/** Data from outside that can not be used; carries every place that does not fit. */
export class ProblemError extends Error {
  override name = 'ProblemError'
  constructor(
    what: string,
    readonly problems: readonly Problem[],
  ) {
    const listed = problems.slice(0, 5).map((p) => (p.path ? `${p.path} ${p.message}` : p.message))
    const more = problems.length > 5 ? `; and ${problems.length - 5} more` : ''
    super(`${what}: ${listed.join('; ')}${more}`)
  }
}

import type { Problem } from '../core/comp/problem.ts'

/** What a request asks for can not be had; told with a status. */
export class RequestError extends Error {
  override name = 'RequestError'
  constructor(
    readonly status: number,
    message: string,
    readonly problems: readonly Problem[] = [],
    readonly more: Readonly<Record<string, unknown>> = {},
  ) {
    super(message)
  }
}

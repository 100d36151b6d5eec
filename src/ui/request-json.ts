import * as v from 'valibot'

/** An answer that is not what was asked for, with the server's own words. */
export class AnswerError extends Error {
  override name = 'AnswerError'
  constructor(
    readonly status: number,
    message: string,
    readonly details: Readonly<Record<string, unknown>> = {},
  ) {
    super(message)
  }
}

/** What a server said, by its contract. Throws AnswerError where it is something else. */
export function readAnswer<T>(contract: v.GenericSchema<unknown, T>, data: unknown): T {
  const read = v.safeParse(contract, data)
  if (read.success) return read.output
  throw new AnswerError(0, 'The server answered something that this page can not read. Reload the page.')
}

/**
 * Fetches JSON from our server and reads it by its contract. Throws AnswerError; status 0 when the server does not answer at all, or with
 * something else.
 */
export async function requestJson<T>(
  contract: v.GenericSchema<unknown, T>,
  path: string,
  method = 'GET',
  body?: unknown,
  { headers = {}, signal = null }: { headers?: Record<string, string>; signal?: AbortSignal | null } = {},
): Promise<T> {
  const isBinary = body instanceof Blob
  let answer: Response
  try {
    answer = await fetch(path, {
      method,
      signal,
      headers: body === undefined || isBinary ? headers : { 'content-type': 'application/json', ...headers },
      ...(body === undefined ? {} : { body: isBinary ? body : JSON.stringify(body) }),
    })
  } catch {
    if (signal?.aborted) throw new AnswerError(0, 'It was cancelled.')
    throw new AnswerError(0, 'The server does not answer. Is Zafiro still running?')
  }
  const data: unknown = await answer.json().catch(() => undefined)
  if (answer.ok) return readAnswer(contract, data)
  const error = (data as { error?: Record<string, unknown> & { message?: string } } | undefined)?.error
  throw new AnswerError(answer.status, error?.message ?? `The server answered ${answer.status}.`, error ?? {})
}

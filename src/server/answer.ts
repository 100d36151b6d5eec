import { randomBytes } from 'node:crypto'
import { ProblemError, type Problem } from '../core/comp/problem.ts'
import { FormatError } from '../core/formats/format-error.ts'
import { DatabaseUnreachable } from './db/pool.ts'
import { DecodeError } from './media/decode-pool.ts'
import { IntakeError } from './media/intake.ts'

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

/** A short random id of letters and digits. */
export function newId(): string {
  return randomBytes(9).toString('base64url').replace(/[-_]/g, 'x')
}

/** JSON from a request body. Throws RequestError. */
export async function readJson(request: Request): Promise<unknown> {
  try {
    return (await request.json()) as unknown
  } catch {
    throw new RequestError(400, 'The request does not hold JSON.')
  }
}

function describe(error: unknown): {
  status: number
  message: string
  problems?: readonly Problem[]
  [key: string]: unknown
} {
  if (error instanceof RequestError)
    return { status: error.status, message: error.message, problems: error.problems, ...error.more }
  if (error instanceof ProblemError) return { status: 400, message: error.message, problems: error.problems }
  if (error instanceof FormatError || error instanceof IntakeError || error instanceof DecodeError)
    return { status: 422, message: error.message }
  if (error instanceof DatabaseUnreachable) return { status: 503, message: error.message }
  if (error instanceof Error && 'code' in error && error.code === 'ENOSPC')
    return {
      status: 507,
      message: 'The disk is full. Make room, then try again; nothing that was saved is lost.',
    }
  console.error(error)
  return { status: 500, message: 'Something went wrong on the server; its output says more.' }
}

/** Runs a route's work; a failure becomes JSON: { error: { message, problems? } } with a fitting status. */
export async function answer(work: () => Promise<Response>): Promise<Response> {
  try {
    return await work()
  } catch (error) {
    const { status, ...rest } = describe(error)
    return Response.json({ error: rest }, { status })
  }
}

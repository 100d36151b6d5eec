import { randomBytes } from 'node:crypto'
import { Cancelled } from '../core/cancelled.ts'
import { ProblemError, type Problem } from '../core/comp/problem.ts'
import { FormatError } from '../core/formats/format-error.ts'
import { DatabaseBusy, DatabaseUnreachable, isOrphan, isUnstorable, nameFailure } from './db/pool.ts'
import { loggerOf } from './log.ts'
import { DecodeError } from './media/decode-pool.ts'
import { IntakeError, NoSuchShot } from './media/intake.ts'
import { DeliveryError } from './render/deliver.ts'
import { RequestError } from './request-error.ts'

export { RequestError } from './request-error.ts'

/** A short random id of letters and digits. */
export function newId(): string {
  return randomBytes(9).toString('base64url').replace(/[-_]/g, 'x')
}

interface Told {
  readonly status: number
  readonly message: string
  readonly problems?: readonly Problem[]
  readonly [key: string]: unknown
}

const hasCode = (error: unknown, ...codes: string[]) =>
  error instanceof Error && 'code' in error && codes.includes(String(error.code))

function describe(given: unknown): Told {
  const error = nameFailure(given)
  if (error instanceof RequestError)
    return { status: error.status, message: error.message, problems: error.problems, ...error.more }
  if (error instanceof ProblemError) return { status: 400, message: error.message, problems: error.problems }
  if (
    error instanceof FormatError ||
    error instanceof IntakeError ||
    error instanceof DecodeError ||
    error instanceof DeliveryError
  )
    return { status: 422, message: error.message }
  if (error instanceof NoSuchShot) return { status: 404, message: error.message }
  if (error instanceof DatabaseUnreachable) return { status: 503, message: error.message }
  if (error instanceof DatabaseBusy) return { status: error.isFull ? 507 : 503, message: error.message }
  if (isOrphan(error)) return { status: 404, message: 'What this belongs to is not there any more.' }
  if (isUnstorable(error))
    return { status: 400, message: `A value can not be kept: ${error.sqlMessage ?? error.message}.` }
  if (hasCode(error, 'ENOSPC', 'EDQUOT'))
    return {
      status: 507,
      message: 'The disk is full. Make room, then try again; nothing that was saved is lost.',
    }
  if (hasCode(error, 'EROFS', 'EACCES', 'EPERM'))
    return {
      status: 507,
      message: 'The folder of this installation can not be written to. Its owner can change that.',
    }
  if (hasCode(error, 'ENOENT'))
    return { status: 404, message: 'A file that this needs is not on the disk any more. Bring it in again.' }
  if (hasCode(error, 'EMFILE', 'ENFILE', 'EAGAIN'))
    return { status: 503, message: 'The server has too much to do at once. Try again.' }
  // The one who asked has left.
  const hasLeft = error instanceof Cancelled || (error instanceof Error && error.name === 'AbortError')
  if (hasLeft || hasCode(error, 'ECONNRESET', 'ERR_STREAM_PREMATURE_CLOSE', 'ABORT_ERR'))
    return { status: 400, message: 'The request broke off.' }
  loggerOf('server').error(error)
  return {
    status: 500,
    message: 'Something went wrong on the server; its output and the folder of its notes (log) say more.',
  }
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

import { fork, type ChildProcess } from 'node:child_process'
import { stat } from 'node:fs/promises'
import { availableParallelism } from 'node:os'
import { join } from 'node:path'
import type { Pass } from '../../core/comp/media.ts'
import type { TakeOptions } from './decode-file.ts'
import type { MediaInfo } from './media-file.ts'
import { exists, passPath, storedPath, type PassForm } from './store.ts'

export type DecodeJob =
  | { readonly type: 'take'; readonly hash: string; readonly options: TakeOptions }
  | { readonly type: 'form'; readonly hash: string; readonly form: PassForm }
  | { readonly type: 'objects'; readonly hash: string; readonly pass: Pass }
export type DecodeReply =
  { readonly result: unknown } | { readonly problem: string; readonly isFull: boolean }

/** A stored file that can not be read, in words for the person who brought it. */
export class DecodeError extends Error {
  override name = 'DecodeError'
  constructor(
    message: string,
    /** The disk is full: the file itself may be good. */
    readonly isFull = false,
  ) {
    super(message)
  }
}

/** The decoding process ended instead of answering. */
class DecoderEnded extends DecodeError {}

const timeLimitMs = 60_000

/** One process that decodes, one job at a time. It is ended when a job takes too long, and begun anew for the next. */
class Decoder {
  private child: ChildProcess | undefined
  private last: Promise<unknown> = Promise.resolve()

  constructor(
    private readonly program: string,
    private readonly limitMs: number,
  ) {}

  run(job: DecodeJob, bytes = 0): Promise<unknown> {
    // Large files take long without being hostile.
    const limitMs = this.limitMs * (1 + bytes / 2.5e8)
    const mine = this.last.then(async () => {
      try {
        return await this.work(job, limitMs)
      } catch (error) {
        // A process may end for reasons that are not the file's (memory, someone's kill): only what ends two is broken.
        if (!(error instanceof DecoderEnded)) throw error
        return await this.work(job, limitMs)
      }
    })
    this.last = mine.catch(() => undefined)
    return mine
  }

  close(): void {
    this.child?.kill('SIGKILL')
    this.child = undefined
  }

  private begin(): ChildProcess {
    const child = fork(this.program, [], {
      serialization: 'advanced',
      stdio: ['ignore', 'inherit', 'ignore', 'ipc'],
      execArgv: ['--max-old-space-size=2048'],
    })
    child.once('exit', () => {
      if (this.child === child) this.child = undefined
    })
    return child
  }

  private work(job: DecodeJob, limitMs: number): Promise<unknown> {
    const child = (this.child ??= this.begin())
    child.ref()
    child.channel?.ref()
    return new Promise((resolve, reject) => {
      const finish = (end: () => void) => {
        clearTimeout(timer)
        child.off('message', answered)
        child.off('exit', ended)
        child.off('error', failed)
        // An idle decoder keeps nothing alive.
        child.unref()
        child.channel?.unref()
        end()
      }
      const timer = setTimeout(() => {
        this.child = undefined
        finish(() => {
          reject(new DecodeError(`Reading took longer than ${Math.round(limitMs / 1000)} s and was stopped`))
        })
        child.kill('SIGKILL')
      }, limitMs)
      const answered = (message: unknown) => {
        const reply = message as DecodeReply
        finish(() => {
          if ('result' in reply) resolve(reply.result)
          else reject(new DecodeError(reply.problem, reply.isFull))
        })
      }
      const ended = () => {
        finish(() => {
          reject(new DecoderEnded('It is broken in a way that stops its decoder'))
        })
      }
      const failed = (error: Error) => {
        this.child = undefined
        finish(() => {
          reject(new DecodeError(`Reading failed (${error.message})`))
        })
      }
      child.on('message', answered)
      child.on('exit', ended)
      child.on('error', failed)
      child.send(job)
    })
  }
}

/** Processes that decode stored files, so that a hostile one can neither block nor bring down the server. */
export class DecodePool {
  private readonly decoders: Decoder[]
  private readonly making = new Map<string, Promise<void>>()

  constructor(
    program = join(/*turbopackIgnore: true*/ process.cwd(), 'dist', 'decode-process.mjs'),
    { processes = Math.min(4, availableParallelism()), limitMs = timeLimitMs } = {},
  ) {
    this.decoders = Array.from({ length: processes }, () => new Decoder(program, limitMs))
  }

  close(): void {
    for (const decoder of this.decoders) decoder.close()
  }

  /** The same file always comes to the same process, which may have it open still. */
  private for(hash: string): Decoder {
    return this.decoders[Number.parseInt(hash.slice(0, 6), 16) % this.decoders.length]!
  }

  /** Looks through a stored file. Rejects with DecodeError. */
  async take(hash: string, options: TakeOptions = {}): Promise<MediaInfo> {
    return (await this.for(hash).run({ type: 'take', hash, options }, await sizeOf(hash))) as MediaInfo
  }

  /** Path of a form of a pass, which is made where it is not there. Rejects with DecodeError. */
  async form(hash: string, form: PassForm): Promise<string> {
    const path = passPath(hash, form)
    if (await exists(path)) return path
    // Asked for twice at once, it is made once.
    const known = this.making.get(path)
    const made =
      known ??
      this.for(hash)
        .run({ type: 'form', hash, form })
        .then(() => undefined)
    this.making.set(path, made)
    try {
      await made
    } finally {
      this.making.delete(path)
    }
    return path
  }

  async objects(hash: string, pass: Pass): Promise<void> {
    await this.for(hash).run({ type: 'objects', hash, pass })
  }
}

const sizeOf = (hash: string) => stat(storedPath(hash)).then((s) => s.size, () => 0) // prettier-ignore

let shared: DecodePool | undefined
/** The pool of this process, begun on first use. */
export function decodePool(): DecodePool {
  return (shared ??= new DecodePool())
}

import { fork, type ChildProcess } from 'node:child_process'
import { readFileSync } from 'node:fs'
import type { DecodeJob, DecodeReply } from './decode-job.ts'

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

/** The decoding process was ended from outside instead of answering: the file may be good. */
export class DecoderEnded extends DecodeError {}

export interface DecodeLimits {
  readonly limitMs: number
  readonly mostBytes: number
}

const watchEveryMs = 60
const pageBytes = 4096

/** Bytes of memory that a process really takes; 0 when it is gone. */
function residentBytes(pid: number): number {
  try {
    return Number(readFileSync(`/proc/${pid}/statm`, 'utf8').split(' ')[1]) * pageBytes
  } catch {
    return 0
  }
}

/** One process that decodes, one job at a time. It is ended when a job takes too long or too much, and begun anew for the next. */
export class Decoder {
  private child: ChildProcess | undefined
  /** When its present job was begun; undefined while it is idle. */
  busySince: number | undefined
  /** What its last job was. */
  lastType: DecodeJob['type'] | undefined
  /** The file of its last job, which it may have open still. */
  lastHash: string | undefined

  constructor(private readonly program: string) {}

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

  /** Rejects with DecodeError. */
  async run(job: DecodeJob, limits: DecodeLimits): Promise<unknown> {
    this.busySince = performance.now()
    this.lastHash = job.hash
    this.lastType = job.type
    try {
      return await this.work(job, limits)
    } finally {
      this.busySince = undefined
    }
  }

  private work(job: DecodeJob, { limitMs, mostBytes }: DecodeLimits): Promise<unknown> {
    const child = (this.child ??= this.begin())
    child.ref()
    child.channel?.ref()
    return new Promise((resolve, reject) => {
      const finish = (end: () => void) => {
        clearTimeout(timer)
        clearInterval(watch)
        child.off('message', answered)
        child.off('exit', ended)
        child.off('error', failed)
        // An idle decoder keeps nothing alive.
        child.unref()
        child.channel?.unref()
        end()
      }
      const stop = (reason: string) => {
        this.child = undefined
        finish(() => {
          reject(new DecodeError(reason))
        })
        child.kill('SIGKILL')
      }
      const timer = setTimeout(() => {
        stop(`Reading took longer than ${Math.round(limitMs / 1000)} s and was stopped`)
      }, limitMs)
      const watch = setInterval(() => {
        if (residentBytes(child.pid ?? 0) > mostBytes)
          stop(
            `Reading it wants more memory than one file is given here (${(mostBytes / 1e9).toFixed(1)} GB) and was stopped; write it smaller, or with fewer passes in a file`,
          )
      }, watchEveryMs)
      const answered = (message: unknown) => {
        const reply = message as DecodeReply
        finish(() => {
          if ('result' in reply) resolve(reply.result)
          else reject(new DecodeError(reply.problem, reply.isFull))
        })
      }
      const ended = (code: number | null, signal: NodeJS.Signals | null) => {
        // A signal from outside (someone's kill, a machine without memory) is not the file's doing; an abort is.
        const own: readonly (NodeJS.Signals | null)[] = ['SIGABRT', 'SIGSEGV', 'SIGTRAP', 'SIGBUS', 'SIGILL']
        const isOutside = code === null ? !own.includes(signal) : code === 0
        const reason = 'It is broken in a way that stops its decoder'
        finish(() => {
          reject(isOutside ? new DecoderEnded(reason) : new DecodeError(reason))
        })
      }
      const failed = (error: Error) => {
        this.child = undefined
        finish(() => {
          reject(new DecoderEnded(`Reading failed (${error.message})`))
        })
      }
      child.on('message', answered)
      child.on('exit', ended)
      child.on('error', failed)
      child.send(job, (error) => {
        if (error && this.busySince !== undefined) failed(error)
      })
    })
  }
}

import { open, stat } from 'node:fs/promises'
import { availableParallelism } from 'node:os'
import { join } from 'node:path'
import type { Pass } from '../../core/comp/media.ts'
import type { PassRef } from '../../core/engine/plan/plan-node.ts'
import {
  columnsOfBlock,
  decodePassBlock,
  encodePassBlock,
  passBlockLength,
  passHeaderBytes,
  rowsOfBlock,
  type PassBlock,
} from '../../core/formats/pass-block.ts'
import { isExr } from '../../core/formats/exr-header.ts'
import { decodeBudget } from './decode-budget.ts'
import { joinShares, type TakenShare, type TakeOptions } from './take-shares.ts'
import type { DecodeJob } from './decode-job.ts'
import { Decoder, DecoderEnded } from './decoder.ts'
import type { MediaInfo } from './media-file.ts'
import { passPath, storedPath, type PassForm } from './store.ts'

export { DecodeError } from './decoder.ts'

interface Waiting {
  readonly job: DecodeJob
  readonly limitMs: number
  readonly resolve: (result: unknown) => void
  readonly reject: (error: unknown) => void
  /** Times that its process was ended from outside. */
  ended: number
}

export interface DecodePoolOptions {
  /** Jobs at a time, as long as none is slow. */
  readonly processes?: number
  /** For a file without bytes; larger ones are given more. */
  readonly limitMs?: number
  /** A job that takes longer than this stands aside: others are begun beside it. */
  readonly patienceMs?: number
  readonly mostBytes?: number
}

/** Further processes for those that stand aside. */
const mostAside = 4
/** An EXR larger than this is taken by two processes at once, where these have nothing else to do. */
const largeBytes = 24e6
/** A job's process may be ended from outside so often before the job is given up. */
const mostEnds = 3

/**
 * Processes that decode stored files, so that a hostile one can neither block nor bring down the server. Jobs are begun in order;
 * one that is slow, because it is large or made to be, does not count among those that may run, so good files go on beside it.
 */
export class DecodePool {
  private readonly decoders: Decoder[] = []
  private readonly queue: Waiting[] = []
  private readonly making = new Map<string, Promise<void>>()
  private readonly processes: number
  private readonly limitMs: number
  private readonly patienceMs: number
  private readonly mostBytes: number

  constructor(
    private readonly program = join(/*turbopackIgnore: true*/ process.cwd(), 'dist', 'decode-process.mjs'),
    {
      processes = Math.min(4, availableParallelism()),
      limitMs = 60_000,
      patienceMs = 2000,
      mostBytes = decodeBudget,
    }: DecodePoolOptions = {},
  ) {
    this.processes = processes
    this.limitMs = limitMs
    this.patienceMs = patienceMs
    this.mostBytes = mostBytes
  }

  close(): void {
    for (const decoder of this.decoders) decoder.close()
  }

  private run(job: DecodeJob, bytes: number): Promise<unknown> {
    return new Promise((resolve, reject) => {
      // Large files take long without being hostile.
      this.queue.push({ job, limitMs: this.limitMs * (1 + bytes / 5e7), resolve, reject, ended: 0 })
      this.pump()
    })
  }

  /** A process for a file: one that may have it open still, else an idle one, else a new one; undefined when all lanes are full. */
  private laneFor(hash: string): Decoder | undefined {
    const now = performance.now()
    const busy = this.decoders.filter((d) => d.busySince !== undefined)
    const quick = busy.filter((d) => now - d.busySince! < this.patienceMs)
    if (quick.length >= this.processes || busy.length >= this.processes + mostAside) return undefined
    const idle = this.decoders.filter((d) => d.busySince === undefined)
    const found = idle.find((d) => d.lastHash === hash) ?? idle[0]
    if (found) return found
    const made = new Decoder(this.program)
    this.decoders.push(made)
    return made
  }

  private pump(): void {
    for (;;) {
      const next = this.queue[0]
      const lane = next && this.laneFor(next.job.hash)
      if (!next || !lane) return
      this.queue.shift()
      const { job, limitMs } = next
      // When it turns out to be slow, another may begin.
      const aside = setTimeout(() => {
        this.pump()
      }, this.patienceMs + 5)
      lane
        .run(job, { limitMs, mostBytes: this.mostBytes })
        .then(next.resolve, (error: unknown) => {
          // A process may be ended for reasons that are not the file's.
          if (error instanceof DecoderEnded && ++next.ended < mostEnds) this.queue.unshift(next)
          else next.reject(error)
        })
        .finally(() => {
          clearTimeout(aside)
          this.pump()
        })
    }
  }

  /** Looks through a stored file. Rejects with DecodeError. */
  async take(hash: string, options: TakeOptions = {}): Promise<MediaInfo> {
    const bytes = await sizeOf(hash)
    const isIdle = this.queue.length === 0 && this.decoders.every((d) => d.busySince === undefined)
    // All channels of an EXR are packed together: to unpack them twice takes less time than all else.
    const of = isIdle && this.processes > 1 && bytes > largeBytes && (await isExrFile(hash)) ? 2 : 1
    const shares = Array.from({ length: of }, (_, i) => {
      const job = { type: 'take', hash, options: { ...options, share: [i, of] } } as const
      return this.run(job, bytes) as Promise<TakenShare>
    })
    return joinShares(await Promise.all(shares))
  }

  /** Path of a form of a pass, which is made where it is not there, or not whole. Rejects with DecodeError. */
  async form(hash: string, form: PassForm): Promise<string> {
    const path = passPath(hash, form)
    if (await isWholeForm(path)) return path
    // Asked for twice at once, it is made once.
    const known = this.making.get(path)
    const made = known ?? this.run({ type: 'form', hash, form }, await sizeOf(hash)).then(() => undefined)
    this.making.set(path, made)
    try {
      await made
    } finally {
      this.making.delete(path)
    }
    return path
  }

  /** A window of a pass at full size, as a block: out of its form where that is there, else out of the file. Rejects with DecodeError. */
  async window(
    hash: string,
    form: PassForm,
    { rows, columns }: Pick<PassRef, 'columns'> & { readonly rows: readonly [from: number, to: number] },
  ): Promise<Uint8Array<ArrayBuffer>> {
    const path = passPath(hash, form)
    const cut = (block: PassBlock) => encodePassBlock(columns ? columnsOfBlock(block, columns) : block)
    if (!(await isWholeForm(path))) {
      const made = (await this.run({ type: 'rows', hash, form, rows }, await sizeOf(hash))) as
        Uint8Array | undefined
      if (made) return cut(decodePassBlock(made.slice().buffer))
      await this.form(hash, form)
    }
    return cut(await readRows(path, rows))
  }

  async objects(hash: string, pass: Pass): Promise<void> {
    await this.run({ type: 'objects', hash, pass }, await sizeOf(hash))
  }
}

const sizeOf = (hash: string) =>
  stat(storedPath(hash)).then(
    (s) => s.size,
    () => 0,
  )

async function isExrFile(hash: string): Promise<boolean> {
  const file = await open(storedPath(hash)).catch(() => undefined)
  try {
    const { buffer } = (await file?.read(new Uint8Array(4), 0, 4, 0)) ?? {}
    return buffer !== undefined && isExr(buffer)
  } finally {
    await file?.close()
  }
}

/** Some rows of a made form. */
async function readRows(path: string, rows: readonly [from: number, to: number]): Promise<PassBlock> {
  const file = await open(path)
  try {
    const header = new Uint8Array(passHeaderBytes)
    await file.read(header, 0, passHeaderBytes, 0)
    const { start, end, read } = rowsOfBlock(header.buffer, rows)
    const bytes = new Uint8Array(end - start)
    await file.read(bytes, 0, bytes.length, start)
    return read(bytes.buffer)
  } finally {
    await file.close()
  }
}

/** Whether a made form is as long as its beginning says: what was cut by a loss of power counts as absent. */
export async function isWholeForm(path: string): Promise<boolean> {
  const file = await open(path).catch(() => undefined)
  if (!file) return false
  try {
    const header = new Uint8Array(passHeaderBytes)
    const { bytesRead } = await file.read(header, 0, passHeaderBytes, 0)
    const length = passBlockLength(header.subarray(0, bytesRead))
    return length !== undefined && (await file.stat()).size === length
  } finally {
    await file.close()
  }
}

let shared: DecodePool | undefined
/** The pool of this process, begun on first use. */
export function decodePool(): DecodePool {
  return (shared ??= new DecodePool())
}

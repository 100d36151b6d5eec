import { open, stat } from 'node:fs/promises'
import { availableParallelism } from 'node:os'
import { join } from 'node:path'
import { Cancelled } from '../../core/cancelled.ts'
import type { Pass } from '../../core/comp/media.ts'
import type { PassRef } from '../../core/engine/plan/plan-node.ts'
import {
  columnsOfBlock,
  decodePassBlock,
  encodePassBlock,
  joinedRows,
  passHeaderBytes,
  rowsOfBlock,
  type PassBlock,
} from '../../core/formats/pass-block.ts'
import { isExr } from '../../core/formats/exr-header.ts'
import { decodeBudget } from './decode-budget.ts'
import type { TakenShare, TakeOptions } from './take-shares.ts'
import type { DecodeJob, DecodeWork, RowSpan } from './decode-job.ts'
import { Decoder, DecoderEnded } from './decoder.ts'
import type { MediaInfo } from './media-file.ts'
import { isFoundWhole, noteWhole, passPath, storedPath, type PassForm } from './store.ts'
import { isWholeForm } from './whole-form.ts'

export { DecodeError } from './decoder.ts'

interface Waiting {
  readonly job: DecodeWork
  readonly limitMs: number
  readonly resolve: (result: unknown) => void
  readonly reject: (error: unknown) => void
  /** Somebody waits for it still; once nobody does it is not begun. */
  readonly isWanted: () => boolean
  /** Times that its process was ended from outside. */
  ended: number
}

/** A form that is being made, and how many wait for it. */
interface Making {
  readonly made: Promise<unknown>
  readonly waiting: { count: number }
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
/** An EXR larger than this is taken by two threads at once, where there is nothing else to do. */
const largeBytes = 24e6
/** Rows of an EXR are shared out to processes by stripes of so many, always the same to the same one: each unpacks its own once for all passes. */
const stripeRows = 128
/** A job's process may be ended from outside so often before the job is given up. */
const mostEnds = 3

/**
 * Processes that decode stored files, so that a hostile one can neither block nor bring down the server. Jobs are begun in order, rows, which somebody
 * looks at, first; one that is slow, because it is large or made to be, does not count among those that may run, so good files go on beside it.
 */
export class DecodePool {
  private readonly decoders: Decoder[] = []
  private readonly queue: Waiting[] = []
  private readonly making = new Map<string, Making>()
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

  private run(job: DecodeWork, bytes: number, isWanted = () => true): Promise<unknown> {
    return new Promise((resolve, reject) => {
      // Large files take long without being hostile.
      const limitMs = this.limitMs * (1 + bytes / 5e7)
      this.queue.push({ job, limitMs, resolve, reject, isWanted, ended: 0 })
      this.pump()
    })
  }

  /**
   * A process for a job: the one of its seat, unless that has begun with another file; one that may have the file open still, else an idle one, else a
   * new one; undefined when all lanes are full, or when the one of its seat is at rows of the same file. Rows do not wait for what is no rows.
   */
  private laneFor({ hash, ...job }: DecodeJob): Decoder | undefined {
    const now = performance.now()
    const busy = this.decoders.filter((d) => d.busySince !== undefined)
    const isRows = job.type === 'rows'
    const quick = busy.filter(
      (d) => now - d.busySince! < this.patienceMs && (!isRows || d.lastType === 'rows'),
    )
    if (quick.length >= this.processes || busy.length >= this.processes + mostAside) return undefined
    const own = isRows && job.seat !== undefined ? this.decoders[job.seat] : undefined
    if (own?.lastHash === hash) {
      if (own.busySince === undefined) return own
      if (own.lastType === 'rows') return undefined
    }
    const idle = this.decoders.filter((d) => d.busySince === undefined)
    if (own && own.busySince === undefined) return own
    const found = idle.find((d) => d.lastHash === hash) ?? idle[0]
    if (found) return found
    const made = new Decoder(this.program)
    this.decoders.push(made)
    return made
  }

  /** What nobody waits for any more goes before it is begun. */
  private dropUnwanted(): void {
    for (let at = this.queue.length - 1; at >= 0; at--)
      if (!this.queue[at]!.isWanted())
        for (const { reject } of this.queue.splice(at, 1)) reject(new Cancelled('Nobody waits for it'))
  }

  private pump(): void {
    this.dropUnwanted()
    for (;;) {
      let lane: Decoder | undefined
      const place = (isRows: boolean) =>
        this.queue.findIndex(
          ({ job }) => (job.type === 'rows') === isRows && (lane = this.laneFor(job)) !== undefined,
        )
      const rowsAt = place(true)
      const at = rowsAt < 0 ? place(false) : rowsAt
      const [next] = at < 0 ? [] : this.queue.splice(at, 1)
      if (!next || !lane) return
      const { job, limitMs } = next
      // When it turns out to be slow, another may begin.
      const aside = setTimeout(() => {
        this.pump()
      }, this.patienceMs + 5)
      const isWhole = isFoundWhole(job.hash)
      const sent: DecodeJob = isWhole ? { ...job, isWhole } : job
      lane
        .run(sent, { limitMs, mostBytes: this.mostBytes })
        .then((result) => {
          // What needs all of a file has held it against its name; an eighth is made of a quarter.
          if (job.type === 'take' || (job.type === 'form' && job.form.reduction < 8)) noteWhole(job.hash)
          next.resolve(result)
        })
        .catch((error: unknown) => {
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
    const isShared = isIdle && this.processes > 1 && bytes > largeBytes && (await isExrFile(hash))
    const job = { type: 'take', hash, options: { ...options, threads: isShared ? 2 : 1 } } as const
    const { info } = (await this.run(job, bytes)) as TakenShare
    return info
  }

  /** Calls when a signal says so; then what is not begun may not be wanted any more. */
  private onLeft(signal: AbortSignal | undefined, left: () => void = () => undefined): void {
    signal?.addEventListener('abort', () => {
      left()
      this.dropUnwanted()
    })
  }

  /**
   * Path of a form of a pass, which is made where it is not there, or not whole. Rejects with DecodeError; with Cancelled where all who waited have
   * left, by their signals, before it was begun.
   */
  async form(hash: string, form: PassForm, signal?: AbortSignal): Promise<string> {
    const path = passPath(hash, form)
    if (await isWholeForm(path)) return path
    const bytes = await sizeOf(hash)
    // Asked for twice at once, it is made once.
    const known = this.making.get(path)
    const waiting = known?.waiting ?? { count: 0 }
    waiting.count++
    const made = known?.made ?? this.run({ type: 'form', hash, form }, bytes, () => waiting.count > 0)
    this.making.set(path, { made, waiting })
    this.onLeft(signal, () => waiting.count--)
    try {
      await made
      return path
    } catch (error) {
      if (!(error instanceof Cancelled) || signal?.aborted === true) throw error
    } finally {
      if (this.making.get(path)?.made === made) this.making.delete(path)
    }
    // It was given up by all others just now.
    return this.form(hash, form, signal)
  }

  /** A window of a pass at full size, as a block: out of its form where that is there, else out of the file. Rejects as `form` does. */
  async window(
    hash: string,
    form: PassForm,
    { rows, columns }: Pick<PassRef, 'columns'> & { readonly rows: RowSpan },
    signal?: AbortSignal,
  ): Promise<Uint8Array<ArrayBuffer>> {
    const path = passPath(hash, form)
    if (!(await isWholeForm(path))) {
      const bytes = await sizeOf(hash)
      // Other formats are not read by rows.
      const seats = (await isExrFile(hash)) ? this.processes : 1
      const spans = stripesOf(rows, seats)
      this.onLeft(signal)
      const jobs = spans.map(
        (own, seat) =>
          own.length > 0 &&
          (this.run(
            { type: 'rows', hash, form, rows: own, ...(columns && { columns }), seat },
            bytes,
            () => signal?.aborted !== true,
          ) as Promise<Uint8Array[] | undefined>),
      )
      const made = (await Promise.all(jobs.filter((job) => job !== false))).flatMap((blocks) => blocks ?? [])
      if (made.length > 0)
        return encodePassBlock(joinedRows(made.map((block) => decodePassBlock(block.slice().buffer))))
      await this.form(hash, form, signal)
    }
    const block = await readRows(path, rows)
    return encodePassBlock(columns ? columnsOfBlock(block, columns) : block)
  }

  async objects(hash: string, pass: Pass): Promise<void> {
    await this.run({ type: 'objects', hash, pass }, await sizeOf(hash))
  }
}

/** Rows by stripes, shared out to so many: the spans of each. */
function stripesOf([from, to]: RowSpan, seats: number): RowSpan[][] {
  const spans: RowSpan[][] = Array.from({ length: seats }, () => [])
  if (seats === 1) spans[0]!.push([from, to])
  else
    for (let at = from; at < Math.max(to, from + 1);) {
      const stripe = Math.floor(at / stripeRows)
      const end = Math.min(to, (stripe + 1) * stripeRows)
      spans[((stripe % seats) + seats) % seats]!.push([at, end])
      at = Math.max(end, at + 1)
    }
  return spans
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

let shared: DecodePool | undefined
/** The pool of this process, begun on first use. */
export function decodePool(): DecodePool {
  return (shared ??= new DecodePool())
}

import { spawn } from 'node:child_process'
import { availableParallelism } from 'node:os'
import { createInterface } from 'node:readline'
import { frameListWords } from '../core/renders/frame-list.ts'
import { paceOf } from '../core/renders/pace.ts'
import type { RenderEvent } from './render.ts'
import { parseFrames } from './render-words.ts'
import { UsageError } from './usage-error.ts'

/** Frames dealt out like cards, so that all are through at about the same time. */
export function dealt(frames: readonly number[], hands: number): number[][] {
  return Array.from({ length: hands }, (_, i) => frames.filter((_, k) => k % hands === i)).filter(
    (hand) => hand.length > 0,
  )
}

const isCounted = (event: RenderEvent) =>
  event.event === 'frame' || event.event === 'skipped' || event.event === 'failed'

/**
 * Renders frames in several processes of this program at once, each with its share of the cores; `args` is the call without its frames. What they
 * say is told as of one. Gives back how many frames failed. Throws UsageError with what a process says where it can not go on.
 */
export async function renderInJobs(
  args: readonly string[],
  frames: string,
  { jobs, threads }: { readonly jobs: number; readonly threads: number | undefined },
  say: (event: RenderEvent) => void,
): Promise<number> {
  const all = parseFrames(frames)
  const own = threads ?? Math.max(1, Math.floor(availableParallelism() / jobs))
  const began = performance.now()
  const doneAt: number[] = []
  const sums = { rendered: 0, skipped: 0, failed: 0 }
  const warned = new Set<string>()
  let [done, refused] = [0, undefined as string | undefined]
  let hasBegun = false
  const tell = (event: RenderEvent) => {
    if (event.event === 'start') {
      if (!hasBegun) say({ ...event, frames: all.length })
      hasBegun = true
    } else if (event.event === 'end') {
      for (const key of ['rendered', 'skipped', 'failed'] as const) sums[key] += event[key]
    } else if (event.event === 'warning') {
      if (!warned.has(event.message)) say(event)
      warned.add(event.message)
    } else if (isCounted(event)) {
      done++
      const counted = { ...event, done, frames: all.length }
      if (event.event !== 'frame') say(counted)
      else {
        doneAt.push(performance.now())
        const left = paceOf(doneAt, all.length - done)
        say({ ...counted, leftMs: left && Math.round(left.leftMs) } as RenderEvent)
      }
    }
  }
  await Promise.all(
    dealt(all, jobs).map(async (hand) => {
      const child = spawn(
        process.execPath,
        [
          process.argv[1]!,
          'render',
          ...args,
          `--frames=${frameListWords(hand)}`,
          '--threads',
          String(own),
          '--json',
        ],
        { stdio: ['ignore', 'pipe', 'inherit'] },
      )
      const ended = new Promise<number | null>((resolve) => child.on('exit', resolve))
      for await (const line of createInterface(child.stdout)) {
        const told = JSON.parse(line) as RenderEvent | { error: { message: string } }
        if ('error' in told) refused = told.error.message
        else tell(told)
      }
      const code = await ended
      if (code !== 0 && code !== 1) refused ??= `a process stopped (${String(code)})`
    }),
  )
  if (refused !== undefined) throw new UsageError('failed', refused)
  say({ event: 'end', ...sums, ms: Math.round(performance.now() - began) })
  return sums.failed
}

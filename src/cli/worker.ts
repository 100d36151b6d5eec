import { spawn } from 'node:child_process'
import { existsSync } from 'node:fs'
import { homedir } from 'node:os'
import { join, resolve } from 'node:path'
import { fileURLToPath } from 'node:url'
import { UsageError } from './usage-error.ts'

export interface WorkerChoice {
  readonly key?: string | undefined
  readonly cache?: string | undefined
  readonly 'cache-limit'?: string | undefined
  readonly jobs?: string | undefined
}

/** '10.0.0.1:4310' → 'http://10.0.0.1:4310'. Throws UsageError for what is no address. */
export function serverAddress(text: string): string {
  try {
    const { protocol, origin } = new URL(text.includes('://') ? text : `http://${text}`)
    if (protocol === 'http:' || protocol === 'https:') return origin
  } catch {
    /* It is told below. */
  }
  throw new UsageError('usage', `${text} is no address of a server; it is like 10.0.0.1:4310`)
}

/** A whole number from 1 to `most` out of an option. Throws UsageError. */
export function countOption(name: string, text: string | undefined, most: number): number | undefined {
  if (text === undefined) return undefined
  const count = Number(text)
  if (Number.isInteger(count) && count >= 1 && count <= most) return count
  throw new UsageError('usage', `--${name} wants a whole number from 1 to ${most}, but met ${text}`)
}

/**
 * `zafiro worker`: renders frames for a server until it is stopped, or turned away (status 3). Programs lie in one folder. Resolves with the status to
 * end with.
 */
export async function runWorker(
  address: string,
  { key, cache, jobs, ...more }: WorkerChoice,
): Promise<number> {
  const gigabytes = countOption('cache-limit', more['cache-limit'], 100_000)
  const atOnce = countOption('jobs', jobs, 64)
  const home = resolve(cache ?? join(homedir(), '.cache', 'zafiro-worker'))
  const program = join(fileURLToPath(new URL('.', import.meta.url)), 'render-worker.mjs')
  if (!existsSync(program)) throw new UsageError('usage', 'the program of the worker is not built')
  const env = {
    ...process.env,
    ZAFIRO_SERVER: serverAddress(address),
    ZAFIRO_HOME: home,
    ...(key === undefined ? {} : { ZAFIRO_KEY: key }),
    ...(gigabytes === undefined ? {} : { ZAFIRO_CACHE_GB: String(gigabytes) }),
    ...(atOnce === undefined ? {} : { ZAFIRO_JOBS: String(atOnce) }),
  }
  // A frame that ends the process does not end the worker.
  for (let delay = 500; ; delay = Math.min(30_000, delay * 2)) {
    const child = spawn(process.execPath, [program], { env, stdio: 'inherit' })
    const stopping = { isAsked: false }
    const stop = () => {
      stopping.isAsked = true
      child.kill('SIGTERM')
    }
    process.on('SIGINT', stop).on('SIGTERM', stop)
    const began = performance.now()
    const [code, signal] = await new Promise<[number | null, string | null]>((done) => {
      child.on('exit', (...how) => {
        done(how)
      })
    })
    process.off('SIGINT', stop).off('SIGTERM', stop)
    if (stopping.isAsked || code === 0 || code === 3) return code ?? 0
    if (performance.now() - began > 60_000) delay = 500
    process.stderr.write(`zafiro: the worker stopped (${signal ?? code}); it is started again.\n`)
    await new Promise((done) => setTimeout(done, delay))
  }
}

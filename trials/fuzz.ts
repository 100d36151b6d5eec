// Damaged copies of every format, decoded as the server decodes them.  node dist/fuzz.mjs --files N [--seed N] [--json FILE]
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { availableParallelism, tmpdir } from 'node:os'
import { dirname, join } from 'node:path'
import { parseArgs } from 'node:util'
import { hashOf } from './client.ts'
import { mutate } from './mutate.ts'
import { Random } from './random.ts'
import { makeSeeds } from './seeds.ts'

const { values } = parseArgs({
  options: {
    files: { type: 'string', default: '100000' },
    seed: { type: 'string', default: '1' },
    json: { type: 'string' },
    /** Where files that were handled wrongly are kept. */
    keep: { type: 'string', default: join(tmpdir(), 'zafiro-fuzz-found') },
  },
})
const wanted = Number(values.files)
const home = mkdtempSync(join(tmpdir(), 'zafiro-fuzz-'))
process.env['ZAFIRO_HOME'] = home
// The folders are named when the module is first read.
const { DecodePool, DecodeError } = await import('../src/server/media/decode-pool.ts')
const { storedPath, derivedFolder } = await import('../src/server/media/store.ts')

/** What every one of these small files must keep within. */
const [mostMs, mostBytes] = [5000, 700e6]
const processes = availableParallelism()
const pool = new DecodePool(join(process.cwd(), 'dist', 'decode-process.mjs'), {
  processes,
  limitMs: mostMs,
  mostBytes,
})

interface Tallied {
  files: number
  read: number
  refused: number
  crashed: number
  stopped: number
  wrong: number
  slowestMs: number
}
const counts = new Map<string, Tallied>()
const found: string[] = []
const seeds = await makeSeeds(home)
const contents = seeds.map((s) => s.bytes)
const random = new Random(Number(values.seed))
const began = performance.now()

async function take(bytes: Uint8Array): Promise<unknown> {
  const hash = hashOf(bytes)
  const path = storedPath(hash)
  mkdirSync(dirname(path), { recursive: true })
  writeFileSync(path, bytes)
  try {
    return await pool.take(hash)
  } finally {
    rmSync(path, { force: true })
    rmSync(`${path}.damaged`, { force: true })
    rmSync(derivedFolder(hash), { recursive: true, force: true })
  }
}

function keep(kind: string, name: string, bytes: Uint8Array, why: string): void {
  mkdirSync(values.keep, { recursive: true })
  const path = join(values.keep, `${found.length}-${kind.replace(/\W+/g, '-')}-${name}`)
  writeFileSync(path, bytes)
  found.push(`${why}: ${path}`)
}

/** What a good file says, before anything was damaged. */
const good = new Map<string, string>()
for (const { kind, bytes } of seeds) {
  good.set(kind, JSON.stringify(await take(bytes)))
  counts.set(kind, { files: 0, read: 0, refused: 0, crashed: 0, stopped: 0, wrong: 0, slowestMs: 0 })
}

let next = 0
async function work(): Promise<void> {
  while (next < wanted) {
    const n = next++
    const { kind, bytes } = seeds[n % seeds.length]!
    const tally = counts.get(kind)!
    const damaged = mutate(bytes, random, contents)
    tally.files++
    const from = performance.now()
    try {
      await take(damaged)
      tally.read++
    } catch (error) {
      const words = error instanceof Error ? error.message : String(error)
      if (
        !(error instanceof DecodeError) ||
        words.trim() === '' ||
        /^Cannot read|undefined|is not a function|Internal mistake/.test(words)
      ) {
        tally.wrong++
        keep(kind, 'wrong', damaged, `no words for a person (${words})`)
      } else if (/took longer|wants more memory/.test(words)) {
        tally.stopped++
        keep(kind, 'stopped', damaged, words)
      } else if (/broken in a way/.test(words)) {
        tally.crashed++
        keep(kind, 'crashed', damaged, words)
      } else tally.refused++
    }
    tally.slowestMs = Math.max(tally.slowestMs, performance.now() - from)
    // A good file is read as ever in between.
    if (n % 500 === 499) {
      const other = seeds[Math.floor(n / 500) % seeds.length]!
      const again = JSON.stringify(await take(other.bytes).catch((error: unknown) => String(error)))
      if (again !== good.get(other.kind)) {
        counts.get(other.kind)!.wrong++
        keep(other.kind, 'good', other.bytes, `a good file was read otherwise: ${again.slice(0, 200)}`)
      }
    }
    if (n % 5000 === 4999) console.log(`${n + 1} files, ${((performance.now() - began) / 1000).toFixed(0)} s`)
  }
}
await Promise.all(Array.from({ length: processes + 1 }, work))
pool.close()

const sum = (of: (t: Tallied) => number) => [...counts.values()].reduce((total, t) => total + of(t), 0)
const report = {
  files: sum((t) => t.files),
  seconds: Math.round((performance.now() - began) / 1000),
  read: sum((t) => t.read),
  refused: sum((t) => t.refused),
  crashed: sum((t) => t.crashed),
  stopped: sum((t) => t.stopped),
  wrong: sum((t) => t.wrong),
  slowestMs: Math.round(Math.max(...[...counts.values()].map((t) => t.slowestMs))),
  kinds: Object.fromEntries(
    [...counts].map(([kind, t]) => [kind, { ...t, slowestMs: Math.round(t.slowestMs) }]),
  ),
}
console.log(JSON.stringify(report, undefined, 1))
for (const line of found.slice(0, 40)) console.log(line)
if (values.json) writeFileSync(values.json, JSON.stringify(report))
rmSync(home, { recursive: true, force: true })
process.exit(report.crashed + report.stopped + report.wrong > 0 ? 1 : 0)

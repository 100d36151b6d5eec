import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, afterEach, expect, test } from 'vitest'
import { Cancelled } from '../../core/cancelled.ts'
import { DecodePool, type DecodePoolOptions } from './decode-pool.ts'

const folder = mkdtempSync(join(tmpdir(), 'zafiro-lanes-'))
const program = join(folder, 'decoder.mjs')
// Stands in for a decoder: the first letter of the hash says what the file does to it.
writeFileSync(
  program,
  `const held = []
process.on('message', ({ hash, type }) => {
  const say = (reply) => process.send(reply)
  switch (hash[0]) {
    case 'a': return say({ result: { info: { passes: [], warnings: [], width: process.pid }, order: [] } })
    case 'b': if (type === 'rows') say({ problem: 'rows are read', isFull: false }); return
    case 'c': { const grow = () => { held.push(Buffer.alloc(2e7, 1)); setTimeout(grow, 5) }; return grow() }
    case 'd': return process.abort()
    case 'e': return process.kill(process.pid, 'SIGKILL')
    case 'f': return say({ problem: 'its header does not end', isFull: false })
  }
})
process.on('disconnect', () => process.exit(0))`,
)
let pool: DecodePool | undefined
const begin = (options: DecodePoolOptions) => (pool = new DecodePool(program, options))
afterEach(() => pool?.close())
afterAll(() => {
  rmSync(folder, { recursive: true })
})
const file = (letter: string) => letter.repeat(64)

test('a file that holds its decoder up stands aside: good ones go on beside it', async () => {
  const lanes = begin({ processes: 2, limitMs: 6000, patienceMs: 150 })
  const slow = [lanes.take(file('b')), lanes.take(file('b')), lanes.take(file('b'))].map((job) =>
    job.catch((error: unknown) => (error as Error).message),
  )
  const began = performance.now()
  for (let i = 0; i < 20; i++) await lanes.take(file('a'))
  expect(performance.now() - began).toBeLessThan(4000)
  for (const message of await Promise.all(slow)) expect(message).toMatch(/took longer than 6 s/)
})

test('one that takes more memory than it is given is stopped, and its neighbours are not', async () => {
  const lanes = begin({ processes: 2, limitMs: 20_000, mostBytes: 3e8 })
  const bomb = lanes.take(file('c'))
  await expect(bomb).rejects.toThrow(/wants more memory than one file is given here \(0.3 GB\)/)
  expect((await lanes.take(file('a'))).width).toBeGreaterThan(0)
})

test('what ends its decoder is refused at once; what someone else ended is tried again, but not for ever', async () => {
  const lanes = begin({ processes: 1 })
  await expect(lanes.take(file('d'))).rejects.toThrow(/broken in a way that stops its decoder/)
  await expect(lanes.take(file('e'))).rejects.toThrow(/stops its decoder/)
  await expect(lanes.take(file('f'))).rejects.toThrow('its header does not end')
  expect((await lanes.take(file('a'))).width).toBeGreaterThan(0)
})

test('what nobody waits for any more is not begun, and rows wait for nothing but rows', async () => {
  const lanes = begin({ processes: 1, limitMs: 3000, patienceMs: 60_000 })
  const form = (pass: string) => ({ pass, as: '', reduction: 2, filter: 'mean' }) as const
  const slow = lanes.take(file('b')).catch((error: unknown) => error)
  const [left, stayed] = [new AbortController(), new AbortController()]
  const asked = [
    lanes.form(file('a'), form('one'), left.signal),
    lanes.form(file('a'), form('both'), left.signal),
    lanes.form(file('a'), form('both'), stayed.signal),
    lanes.window(file('b'), form('rows'), { rows: [0, 8] }),
  ].map((job) => job.catch((error: unknown) => error))
  // It is looked up on the disk before it waits.
  await new Promise((done) => setTimeout(done, 100))
  left.abort()
  expect(await asked[0]).toBeInstanceOf(Cancelled)
  expect(await asked[3]).toHaveProperty('message', 'rows are read')
  expect(await Promise.race([asked[2], Promise.resolve('it waits')])).toBe('it waits')
  expect(String(await slow)).toMatch(/took longer than 3 s/)
  expect(await asked[1]).toBe(await asked[2])
})

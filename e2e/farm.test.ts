import { execFileSync, spawn, spawnSync, type ChildProcess } from 'node:child_process'
import { isThumbnail } from '../src/core/renders/thumbnail.ts'
import { mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { setTimeout as sleep } from 'node:timers/promises'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import * as v from 'valibot'
import { renderAnswer, shotAnswer, workersAnswer } from '../src/contracts/answers.ts'
import { addStep } from '../src/core/comp/edits.ts'
import { writeExr } from '../src/core/formats/exr-write.ts'

// Three hosts on one machine, as network namespaces: a server that renders nothing itself, and two workers.

const ip = (...args: string[]) => spawnSync('ip', args, { encoding: 'utf8' })
const names = ['zaf-server', 'zaf-a', 'zaf-b'] as const
/** Host n is 10.77.n.2 on a wire of its own to the server, which is 10.77.n.1; n = 9 is this test itself. */
const wires = [
  ['zaf-a', 1],
  ['zaf-b', 2],
  [undefined, 9],
] as const

const canMake = (() => {
  const made = ip('netns', 'add', 'zaf-try').status === 0
  const wired = made && ip('link', 'add', 'zaft1', 'type', 'veth', 'peer', 'name', 'zaft2').status === 0
  ip('link', 'del', 'zaft1')
  ip('netns', 'del', 'zaf-try')
  return wired
})()
if (!canMake)
  console.warn('Rendering on three hosts is not tested: no network namespaces can be made on this machine.')

const frames = 200
const [width, height] = [480, 270]
const folder = mkdtempSync(join(tmpdir(), 'zafiro-farm-'))
const home = join(folder, 'server')
const port = 4391
const address = `http://10.77.9.1:${port}`
const children: ChildProcess[] = []
let key = ''

function inHost(name: string, args: readonly string[], env: Record<string, string> = {}): ChildProcess {
  const child = spawn('ip', ['netns', 'exec', name, process.execPath, ...args], {
    env: { ...process.env, ...env },
    stdio: ['ignore', 'pipe', 'pipe'],
    detached: true,
  })
  children.push(child)
  return child
}

async function ask<S extends v.GenericSchema>(
  schema: S,
  path: string,
  method = 'GET',
  value?: unknown,
): Promise<v.InferOutput<S>> {
  const answer = await fetch(`${address}${path}`, {
    method,
    headers: { authorization: `Bearer ${key}`, 'content-type': 'application/json' },
    ...(value === undefined ? {} : { body: JSON.stringify(value) }),
  })
  const told: unknown = await answer.json()
  if (!answer.ok) throw new Error(JSON.stringify(told))
  return v.parse(schema, told)
}

/** Processes in a host whose command line holds some words. */
function pidsIn(name: string, words: string): number[] {
  return ip('netns', 'pids', name)
    .stdout.split('\n')
    .map(Number)
    .filter((pid) => pid > 0)
    .filter((pid) => {
      try {
        return readFileSync(`/proc/${pid}/cmdline`, 'utf8').includes(words)
      } catch {
        return false
      }
    })
}

function removeHosts(): void {
  for (const name of names) {
    for (const pid of pidsIn(name, ''))
      try {
        process.kill(pid, 'SIGKILL')
      } catch {
        /* It is gone. */
      }
    ip('netns', 'del', name)
  }
}

/** A worker on its own host, with an empty cache of its own. */
function startWorker(name: string): ChildProcess {
  const n = wires.find(([host]) => host === name)![1]
  return inHost(name, [
    'bin/zafiro.mjs',
    'worker',
    `10.77.${n}.1:${port}`,
    '--key',
    key,
    '--cache',
    join(folder, name),
  ])
}

describe.skipIf(!canMake)('rendering on three hosts', () => {
  beforeAll(async () => {
    removeHosts()
    for (const name of names) {
      ip('netns', 'add', name)
      ip('-n', name, 'link', 'set', 'lo', 'up')
    }
    for (const [host, n] of wires) {
      ip('link', 'add', `zafs${n}`, 'type', 'veth', 'peer', 'name', `zafw${n}`)
      ip('link', 'set', `zafs${n}`, 'netns', 'zaf-server')
      if (host) ip('link', 'set', `zafw${n}`, 'netns', host)
      const at = host ? ['-n', host] : []
      ip(...at, 'addr', 'add', `10.77.${n}.2/24`, 'dev', `zafw${n}`)
      ip(...at, 'link', 'set', `zafw${n}`, 'up')
      ip('-n', 'zaf-server', 'addr', 'add', `10.77.${n}.1/24`, 'dev', `zafs${n}`)
      ip('-n', 'zaf-server', 'link', 'set', `zafs${n}`, 'up')
    }
    const intake = join(home, 'intake')
    mkdirSync(intake, { recursive: true })
    for (let frame = 1; frame <= frames; frame++) {
      const values = (channel: number) =>
        new Float32Array(width * height).map((_, i) => {
          const [x, y] = [i % width, Math.floor(i / width)]
          return (x - 2 * frame) ** 2 + (y - 90) ** 2 < 60
            ? 20 - 5 * channel
            : 0.02 * (channel + 1) + x / 4000
        })
      const channels = ['B', 'G', 'R'].map((name, i) => ({
        name,
        type: 'float' as const,
        values: values(2 - i),
      }))
      const window: [number, number, number, number] = [0, 0, width - 1, height - 1]
      writeFileSync(
        join(intake, `lamp.${String(frame).padStart(4, '0')}.exr`),
        writeExr({ dataWindow: window, displayWindow: window, compression: 'zips', channels }),
      )
    }
    const server = inHost('zaf-server', [
      'scripts/start.mjs',
      '--home',
      home,
      '--host',
      '0.0.0.0',
      '--port',
      String(port),
      '--empty',
      '--farm',
      '--no-render',
    ])
    let output = ''
    await new Promise<void>((done, fail) => {
      const read = (data: Buffer) => {
        output += data.toString()
        if (output.includes('Zafiro is ready')) done()
      }
      server.stdout!.on('data', read)
      server.stderr!.on('data', read)
      server.on('exit', () => {
        fail(new Error(output))
      })
    })
    const line = /npx zafiro worker (\S+) --key (\S+)/.exec(output)
    expect(line?.[1]).toMatch(/^http:\/\/10\.77\.\d\.1:4391$/)
    key = line![2]!
  })
  afterAll(() => {
    for (const child of children) child.removeAllListeners('exit')
    removeHosts()
    rmSync(folder, { recursive: true, force: true })
  })

  test(
    'every frame is whole and as one machine makes it, though a worker is killed, one is cut off and the queue dies',
    { timeout: 600_000 },
    async () => {
      const { id } = await ask(v.object({ id: v.string() }), '/api/shots', 'POST', {
        intake: 'lamp.0001.exr',
      })
      const shot = () => ask(shotAnswer, `/api/shots/${id}`)
      for (let frame = 2; frame <= frames; frame++)
        await ask(v.unknown(), `/api/shots/${id}/media`, 'POST', {
          intake: `lamp.${String(frame).padStart(4, '0')}.exr`,
        })
      const countOf = async () =>
        Object.values((await shot()).media).reduce((sum, m) => sum + Object.keys(m.frames).length, 0)
      await expect.poll(countOf, { timeout: 20_000, interval: 1000 }).toBe(frames)
      const { comp, revision } = await shot()
      const lane = comp.lanes[0]!.id
      const [bloom] = addStep(comp, lane, 0, 'bloom')
      const [glowing] = addStep(bloom, lane, 1, 'star-glare')
      await ask(v.unknown(), `/api/shots/${id}/comp`, 'PUT', { base: revision, comp: glowing })

      // A wrong key, and another build: told in words, and nobody tries for ever.
      const turnedAway = (more: string[], env = {}) =>
        spawnSync(
          'ip',
          [
            'netns',
            'exec',
            'zaf-a',
            process.execPath,
            'bin/zafiro.mjs',
            'worker',
            `10.77.1.1:${port}`,
            '--cache',
            join(folder, 'no'),
            ...more,
          ],
          { encoding: 'utf8', env: { ...process.env, ...env }, timeout: 60_000 },
        )
      const wrong = turnedAway(['--key', 'x'.repeat(32)])
      expect([wrong.status, wrong.stderr]).toEqual([3, expect.stringMatching(/key is not valid/)])

      const workers = { a: startWorker('zaf-a'), b: startWorker('zaf-b') }
      expect(workers.a.pid).toBeDefined()
      const there = async () => (await ask(workersAnswer, '/api/workers')).workers
      await expect.poll(async () => (await there()).length, { timeout: 60_000 }).toBe(2)
      const asked = await ask(v.object({ id: v.string() }), `/api/shots/${id}/renders`, 'POST', {
        frames: `1-${frames}`,
        formats: ['exr'],
      })
      const render = () => ask(renderAnswer, `/api/renders/${asked.id}`)
      const done = async () => (await render()).frames.filter((f) => f.state === 'done').length
      const until = (count: number) =>
        expect.poll(done, { timeout: 240_000, interval: 100 }).toBeGreaterThanOrEqual(count)

      await until(15)
      for (const pid of pidsIn('zaf-a', 'render-worker.mjs')) process.kill(pid, 'SIGKILL')
      await until(40)
      for (const pid of pidsIn('zaf-server', 'redis-server')) process.kill(pid, 'SIGKILL')
      await until(70)
      ip('-n', 'zaf-b', 'link', 'set', 'zafw2', 'down')
      await sleep(30_000)
      ip('-n', 'zaf-b', 'link', 'set', 'zafw2', 'up')
      await until(frames)

      const made = (await render()).frames
      expect(made.map((f) => [f.frame, f.state, f.problem, f.files.length])).toEqual(
        Array.from({ length: frames }, (_, i) => [i + 1, 'done', null, 1]),
      )
      // Each was taken once; both machines had a share.
      const shares = (await there()).map((w) => w.framesMade)
      expect(shares.reduce((sum, n) => sum + n, 0)).toBe(frames)
      expect(Math.min(...shares)).toBeGreaterThan(20)

      const file = await fetch(`${address}/api/shots/${id}/file`, {
        headers: { authorization: `Bearer ${key}` },
      })
      writeFileSync(join(home, 'intake', 'shot.zafiro.json'), Buffer.from(await file.arrayBuffer()))
      const alone = join(folder, 'alone')
      execFileSync(process.execPath, [
        'bin/zafiro.mjs',
        'render',
        join(home, 'intake', 'shot.zafiro.json'),
        '--frames',
        `1-${frames}`,
        '--out',
        alone,
        '--jobs',
        '2',
      ])
      const farm = join(home, 'renders', asked.id)
      const filesIn = (folder: string) =>
        readdirSync(folder)
          .filter((name) => !isThumbnail(name))
          .sort()
      expect(filesIn(farm)).toEqual(filesIn(alone))
      const differing = filesIn(farm).filter(
        (name) => !readFileSync(join(farm, name)).equals(readFileSync(join(alone, name))),
      )
      expect(differing).toEqual([])
      for (const left of [join(home, 'renders', '.coming'), join(folder, 'zaf-a', 'renders', '.coming')])
        expect(readdirSync(left).length).toBeLessThan(4)
    },
  )
})

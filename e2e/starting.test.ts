import { readFileSync, rmSync } from 'node:fs'
import { createServer } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import type { Comp } from '../src/core/comp/schema.ts'
import { home as otherHome, startApp, type App } from './app.ts'

const home = `${otherHome}-starting`
let app: App
const begin = () => startApp(['--home', home])
beforeAll(async () => {
  rmSync(home, { recursive: true, force: true })
  app = await begin()
})
afterAll(async () => {
  await app.stop()
})

describe('starting', () => {
  test('a second start finds the first', async () => {
    const second = await begin()
    expect(second.address).toBe(app.address)
  })
  test('a port in use is told', async () => {
    const blocker = createServer().listen(0, '127.0.0.1')
    await new Promise((resolve) => blocker.once('listening', resolve))
    const { port } = blocker.address() as { port: number }
    const other = join(tmpdir(), `zafiro-port-${process.pid}`)
    await expect(startApp(['--home', other, '--port', String(port)])).rejects.toThrow(
      /in use by another program/,
    )
    blocker.close()
    rmSync(other, { recursive: true, force: true })
  })
  test('after all of it was killed the next start recovers, with everything that was saved', async () => {
    const url = `${app.address}/api/shots/grottodemo01`
    const { comp, revision } = (await (await fetch(url)).json()) as { comp: Comp; revision: number }
    const muted = comp.lanes.map((lane) => ({ ...lane, muted: true }))
    const body = JSON.stringify({ base: revision, comp: { ...comp, lanes: muted } })
    const headers = { 'content-type': 'application/json' }
    expect((await fetch(`${url}/comp`, { method: 'PUT', headers, body })).status).toBe(200)
    const { owner, parts } = JSON.parse(readFileSync(join(home, 'running.json'), 'utf8')) as {
      owner: { pid: number }
      parts: { pid: number }[]
    }
    // The database is one of the parts.
    for (const { pid } of [owner, ...parts]) process.kill(pid, 'SIGKILL')
    app = await begin()
    const after = (await (await fetch(`${app.address}/api/shots/grottodemo01`)).json()) as { comp: Comp }
    expect(after.comp.lanes).toEqual(muted)
  })
  test('a render worker that is killed is started again and its frame is rendered', async () => {
    const { parts } = JSON.parse(readFileSync(join(home, 'running.json'), 'utf8')) as {
      parts: { name: string; pid: number }[]
    }
    process.kill(parts.find((p) => p.name === 'render worker')!.pid, 'SIGKILL')
    const url = `${app.address}/api/shots/grottodemo01/renders`
    const { id } = (await (
      await fetch(url, {
        method: 'POST',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify({ frames: '1', formats: ['png8'] }),
      })
    ).json()) as { id: string }
    const state = async () => {
      const render = (await (await fetch(`${app.address}/api/renders/${id}`)).json()) as {
        frames: { state: string }[]
      }
      return render.frames[0]!.state
    }
    await expect.poll(state, { timeout: 20_000 }).toBe('done')
  })
})
